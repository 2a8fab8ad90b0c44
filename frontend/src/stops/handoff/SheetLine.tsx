import { Download, Printer } from "lucide-react";
import { answer, api } from "../../data/client";
import { useAct, useSheets } from "../../data/queries";
import { Button, Heading, Number } from "../../ui/parts";

const LINK = "inline-flex h-7 items-center gap-1 px-1.5 text-patina hover:bg-patina-wash";

/** The conform sheet: as it stands, and as it was taken; each says what changed since the one before. */
export function SheetLine({ showId }: { showId: number }) {
  const taken = useSheets(showId).data ?? [];
  const take = useAct(
    () => answer(api.POST("/api/shows/{show_id}/sheets", { params: { path: { show_id: showId } } })),
    (sheet) => `Sheet of ${sheet.clips} ${sheet.clips === 1 ? "clip" : "clips"} taken.`,
  );
  const links = (which: string) => (
    <>
      <a className={LINK} href={`/api/shows/${showId}/sheet.html${which}`} target="_blank" rel="noreferrer">
        <Printer size={14} aria-hidden /> Page
      </a>
      <a className={LINK} href={`/api/shows/${showId}/sheet.csv${which}`} download>
        <Download size={14} aria-hidden /> CSV
      </a>
      <a className={LINK} href={`/api/shows/${showId}/sheet.json${which}`} download="conform-sheet.json">
        <Download size={14} aria-hidden /> JSON
      </a>
    </>
  );
  return (
    <>
      <Heading
        aside={
          <Button weight="quiet" onClick={() => take.mutate(undefined)}>
            Make the sheet
          </Button>
        }
      >
        Conform sheet
      </Heading>
      <ul className="max-h-24 shrink-0 overflow-auto border-b border-hair py-0.5" aria-label="Sheets">
        <li className="flex h-7 items-center px-3">
          <span className="flex-1 truncate">
            as it stands{taken.length > 0 && <span className="text-soft">, with what changed since the last</span>}
          </span>
          {links("")}
        </li>
        {taken.map((sheet) => (
          <li key={sheet.id} className="flex h-7 items-center px-3 text-soft">
            <span className="flex-1 truncate">
              <Number>{new Date(sheet.made_at).toLocaleString([], { dateStyle: "short", timeStyle: "short" })}</Number>,{" "}
              {sheet.timeline}, by {sheet.person}
            </span>
            {links(`?taken=${sheet.id}`)}
          </li>
        ))}
      </ul>
    </>
  );
}
