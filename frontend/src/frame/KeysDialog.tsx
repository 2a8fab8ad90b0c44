import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { useKeyScopes, written, type KeyScope } from "../ui/keys";
import { Button, Key } from "../ui/parts";

/** All keys that can be pressed in the current view, as the view itself says them. */
export function KeysDialog({ open, close }: { open: boolean; close: () => void }) {
  const scopes = useKeyScopes();
  return (
    <Dialog open={open} onClose={close} className="relative z-50">
      <div className="fixed inset-0 bg-black/30" aria-hidden />
      <div className="fixed inset-0 flex items-center justify-center p-6">
        <DialogPanel className="flex max-h-[88vh] w-full max-w-3xl flex-col border border-hair bg-raised shadow-xl">
          <DialogTitle className="px-4 pt-4 pb-2 text-[16px] font-semibold">Keys in this view</DialogTitle>
          <div className="min-h-0 flex-1 columns-2 gap-x-8 overflow-auto px-4">
            {scopes().map((scope) => (
              <Scope key={scope.title} scope={scope} />
            ))}
          </div>
          <div className="px-4 py-3 text-right">
            <Button onClick={close}>Close the keys</Button>
          </div>
        </DialogPanel>
      </div>
    </Dialog>
  );
}

function Scope({ scope }: { scope: KeyScope }) {
  return (
    <section className="mb-3" aria-label={scope.title}>
      <h3 className="mb-1 break-after-avoid text-[12px] text-soft">{scope.title}</h3>
      <dl className="grid grid-cols-[8.5rem_1fr] gap-y-1">
        {scope.rows.map((row) => (
          <div key={row.does} className="contents">
            <dt className="flex flex-wrap gap-1 self-start">
              {(row.shown ?? Object.keys(row.keys).map(written)).map((key) => (
                <Key key={key}>{key}</Key>
              ))}
            </dt>
            <dd className="leading-5">{row.does}</dd>
          </div>
        ))}
      </dl>
    </section>
  );
}
