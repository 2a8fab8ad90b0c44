import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import type { ReactNode } from "react";

/** A panel over the page for one question at a time; Escape leaves it. */
export function Sheet(props: {
  title: string;
  open: boolean;
  close: () => void;
  wide?: boolean;
  children: ReactNode;
  foot: ReactNode;
}) {
  return (
    <Dialog open={props.open} onClose={props.close} className="relative z-40">
      <div className="fixed inset-0 bg-black/30" aria-hidden />
      <div className="fixed inset-0 flex items-center justify-center p-6">
        <DialogPanel
          className={`flex max-h-[88vh] w-full flex-col border border-hair bg-raised shadow-xl ${props.wide ? "max-w-5xl" : "max-w-2xl"}`}
        >
          <DialogTitle className="px-4 pt-3 pb-2 text-[16px] font-semibold">{props.title}</DialogTitle>
          {props.children}
          <div className="flex flex-wrap items-center justify-end gap-2 px-4 py-3">{props.foot}</div>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
