import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { useRef, useState } from "react";
import { answer, api, type Schemas } from "../../data/client";
import { useLogs, useVerdictChanges } from "../../data/evidence";
import { useAct } from "../../data/queries";
import { useVocabulary } from "../../data/vocabulary";
import { Button, fieldLook, Labelled, Number } from "../../ui/parts";

type Log = Schemas["LogView"];
type Column = Schemas["Column"];

/** Camera and scan reports that were read, and what came of them. */
export function Reports({ showId }: { showId: number }) {
  const words = useVocabulary();
  const logs = useLogs(showId);
  const changes = useVerdictChanges(showId);
  const [openId, setOpen] = useState<number | null>(null);
  const [listing, setListing] = useState(false);
  const chooser = useRef<HTMLInputElement>(null);
  const read = useAct(
    (file: File) => {
      const body = new FormData();
      body.append("file", file);
      return answer(
        api.POST("/api/shows/{show_id}/logs", {
          params: { path: { show_id: showId } },
          body: body as never,
          bodySerializer: (form) => form as never,
        }),
      );
    },
    (made, file) => `${file.name} read. ${changed(made.changed)}`,
  );
  const open = logs.data?.find((log) => log.id === openId);
  return (
    <section aria-label="Reports" className="flex max-h-[45%] min-h-0 shrink-0 flex-col border-t border-hair">
      <div className="flex h-8 shrink-0 items-center justify-between px-3">
        <h2 className="text-[13px] font-semibold">Reports</h2>
        <Button weight="quiet" onClick={() => chooser.current?.click()}>
          Import…
        </Button>
        <input
          ref={chooser}
          type="file"
          accept=".csv,.tsv,.txt"
          aria-label="A camera or scan report"
          className="hidden"
          onChange={(event) => {
            const file = event.target.files?.[0];
            if (file) read.mutate(file);
            event.target.value = "";
          }}
        />
      </div>
      <ul className="min-h-0 overflow-auto">
        {logs.data?.map((log) => (
          <li key={log.id}>
            <button
              type="button"
              onClick={() => setOpen(log.id)}
              className="block w-full border-t border-hair px-3 py-1 text-left hover:bg-sunk"
            >
              <span className="block truncate">{log.name}</span>
              <span className="block truncate text-[12.5px] text-soft">
                <Number>{log.matched}</Number> of <Number>{log.rows}</Number> rows fit a clip
                {!("shot_rate" in log.columns || "gauge" in log.columns) && (
                  <span className="text-brass"> · ≢ no rate column</span>
                )}
              </span>
            </button>
          </li>
        ))}
        {logs.data?.length === 0 && (
          <li className="px-3 pb-2 text-[12.5px] text-soft">
            Import camera or scan reports (CSV or TSV) with a delivery, or here.
          </li>
        )}
      </ul>
      {!!changes.data?.length && (
        <button
          type="button"
          className="border-t border-hair px-3 py-1 text-left text-[12.5px] text-patina hover:bg-sunk"
          onClick={() => setListing(true)}
        >
          What later evidence changed: <Number>{changes.data.length}</Number>
        </button>
      )}
      {open && <MappingDialog key={open.id} showId={showId} log={open} close={() => setOpen(null)} />}
      <Dialog open={listing} onClose={() => setListing(false)} className="relative z-40">
        <div className="fixed inset-0 bg-black/30" aria-hidden />
        <div className="fixed inset-0 flex items-center justify-center p-6">
          <DialogPanel className="flex max-h-full w-full max-w-3xl flex-col border border-hair bg-raised p-4 shadow-xl">
            <DialogTitle className="pb-2 text-[16px] font-semibold">Changes by later evidence</DialogTitle>
            <table className="block overflow-auto text-[12.5px]">
              <tbody>
                {changes.data?.map((change) => (
                  <tr key={change.id} className="border-t border-hair">
                    <td className="py-1 pr-3 font-medium">{change.clip}</td>
                    <td className="pr-3 text-soft">{words.question(change.question).name}</td>
                    <td className="pr-3 font-mono whitespace-nowrap">
                      {change.before} → {change.after}
                    </td>
                    <td className="text-soft">{change.because}</td>
                  </tr>
                ))}
              </tbody>
            </table>
            <div className="pt-3 text-right">
              <Button onClick={() => setListing(false)}>Close</Button>
            </div>
          </DialogPanel>
        </div>
      </Dialog>
    </section>
  );
}

function MappingDialog({ showId, log, close }: { showId: number; log: Log; close: () => void }) {
  const { report_columns } = useVocabulary();
  const [columns, setColumns] = useState<Partial<Record<Column, number>>>(log.columns);
  const [title, setTitle] = useState(log.title);
  const path = { params: { path: { show_id: showId, log_id: log.id } } };
  const correct = useAct(
    () =>
      answer(
        api.PUT("/api/shows/{show_id}/logs/{log_id}", {
          ...path,
          body: { columns: columns as Record<string, number>, title },
        }),
      ),
    (made) => `Columns of ${log.name} updated. ${changed(made.changed)}`,
  );
  const takeOut = useAct(
    () => answer(api.DELETE("/api/shows/{show_id}/logs/{log_id}", path)),
    () => `${log.name} removed.`,
  );
  const meaning = (index: number) => report_columns.find(({ column }) => columns[column] === index)?.column ?? "";
  const mean = (index: number, key: string) =>
    setColumns((now) => {
      const next = Object.fromEntries(Object.entries(now).filter(([k, at]) => at !== index && k !== key));
      return key ? { ...next, [key]: index } : next;
    });
  return (
    <Dialog open onClose={close} className="relative z-40">
      <div className="fixed inset-0 bg-black/30" aria-hidden />
      <div className="fixed inset-0 flex items-center justify-center p-6">
        <DialogPanel className="flex max-h-full w-full max-w-4xl flex-col gap-3 border border-hair bg-raised p-4 shadow-xl">
          <div className="flex items-end justify-between gap-4">
            <DialogTitle className="text-[16px] font-semibold">{log.name}</DialogTitle>
            <div className="w-52">
              <Labelled label="Read as">
                <input className={fieldLook} value={title} onChange={(event) => setTitle(event.target.value)} />
              </Labelled>
            </div>
          </div>
          <div className="overflow-auto border border-hair">
            <table className="w-full text-[12.5px]">
              <thead>
                <tr className="bg-sunk">
                  {log.headings.map((heading, index) => (
                    <th key={index} className="px-2 py-1 text-left align-top font-medium">
                      <span className="block truncate">{heading || "(no heading)"}</span>
                      <select
                        aria-label={`${heading} means`}
                        className={`${fieldLook} mt-1 min-w-28 font-normal`}
                        value={meaning(index)}
                        onChange={(event) => mean(index, event.target.value)}
                      >
                        <option value="">nothing here</option>
                        {report_columns.map(({ column: key, name }) => (
                          <option key={key} value={key}>
                            {name}
                          </option>
                        ))}
                      </select>
                    </th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {log.sample.map((row, at) => (
                  <tr key={at} className="border-t border-hair">
                    {row.map((cell, index) => (
                      <td key={index} className={`px-2 py-1 ${meaning(index) ? "" : "text-soft"}`}>
                        {cell}
                      </td>
                    ))}
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
          <Sentences title="Rows that fit no clip" lines={log.unmatched} />
          <Sentences title="Not understood" lines={log.troubles} />
          <div className="flex items-center gap-2">
            <Button
              onClick={() => {
                takeOut.mutate(undefined, { onSuccess: close });
              }}
            >
              Take the report out
            </Button>
            <span className="ml-auto text-[12.5px] text-soft">Remembered for the next report with these headings.</span>
            <Button onClick={close}>Not now</Button>
            <Button
              weight="main"
              disabled={!title.trim() || correct.isPending}
              onClick={() => correct.mutate(undefined, { onSuccess: close })}
            >
              Read it like this
            </Button>
          </div>
        </DialogPanel>
      </div>
    </Dialog>
  );
}

function Sentences({ title, lines }: { title: string; lines: string[] }) {
  if (lines.length === 0) return null;
  return (
    <div className="min-h-0">
      <p className="text-[12.5px] font-medium">
        {title}: {lines.length}
      </p>
      <ul className="max-h-28 overflow-auto text-[12.5px] text-soft">
        {lines.map((line) => (
          <li key={line}>{line}</li>
        ))}
      </ul>
    </div>
  );
}

function changed(count: number): string {
  if (count === 0) return "No verdict changed.";
  return count === 1 ? "One verdict changed." : `${count} verdicts changed.`;
}
