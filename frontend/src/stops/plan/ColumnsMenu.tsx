import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { ArrowDown, ArrowUp } from "lucide-react";
import type { ReactNode } from "react";
import { Button } from "../../ui/parts";
import { COLUMNS, USUAL } from "./columns";

/** Which columns the ledger shows, and in which order; kept in this browser. */
export function ColumnsMenu(props: { columns: string[]; choose: (keys: string[]) => void; children: ReactNode }) {
  const { columns, choose } = props;
  const offered = COLUMNS.filter((column) => column.key !== "beside");
  const ordered = [
    ...columns.flatMap((key) => offered.filter((column) => column.key === key)),
    ...offered.filter((column) => !columns.includes(column.key)),
  ];
  const move = (key: string, by: number) => {
    const at = columns.indexOf(key);
    const other = columns[at + by];
    if (at < 0 || other === undefined) return;
    choose(columns.map((one, i) => (i === at ? other : i === at + by ? key : one)));
  };
  return (
    <Popover>
      <PopoverButton className="inline-flex h-6 items-center gap-1.5 border border-hair bg-raised px-2 hover:border-patina">
        {props.children}
      </PopoverButton>
      <PopoverPanel anchor="bottom end" className="z-40 mt-1 w-60 border border-hair bg-raised p-2 shadow-lg">
        <ul aria-label="Columns">
          {ordered.map((column) => {
            const on = columns.includes(column.key);
            return (
              <li key={column.key} className="flex h-7 items-center gap-2">
                <label className="flex flex-1 items-center gap-2">
                  <input
                    type="checkbox"
                    className="accent-(--patina)"
                    checked={on}
                    onChange={() => choose(on ? columns.filter((key) => key !== column.key) : [...columns, column.key])}
                  />
                  {column.name}
                </label>
                <button
                  type="button"
                  disabled={!on}
                  aria-label={`${column.name} further left`}
                  className="text-soft hover:text-patina disabled:opacity-30"
                  onClick={() => move(column.key, -1)}
                >
                  <ArrowUp size={14} aria-hidden />
                </button>
                <button
                  type="button"
                  disabled={!on}
                  aria-label={`${column.name} further right`}
                  className="text-soft hover:text-patina disabled:opacity-30"
                  onClick={() => move(column.key, 1)}
                >
                  <ArrowDown size={14} aria-hidden />
                </button>
              </li>
            );
          })}
        </ul>
        <Button className="mt-1" onClick={() => choose(USUAL)}>
          Reset columns
        </Button>
      </PopoverPanel>
    </Popover>
  );
}
