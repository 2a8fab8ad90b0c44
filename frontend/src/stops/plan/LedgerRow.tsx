import type { CSSProperties, MouseEvent } from "react";
import type { Schemas } from "../../data/client";
import type { Column } from "./columns";

/** One clip in the ledger; only its name until the rest has come. */
export function LedgerRow(props: {
  id: number;
  name: string;
  row: Schemas["ClipRow"] | undefined;
  columns: Column[];
  tracks: string;
  style: CSSProperties;
  rowIndex: number;
  selected: boolean;
  current: boolean;
  onClick: (event: MouseEvent) => void;
  onToggle: () => void;
  onLook: () => void;
}) {
  const { row, selected, current, columns } = props;
  const span = { gridColumn: `span ${columns.length}` };
  return (
    <div
      id={`clip-${props.id}`}
      role="row"
      aria-rowindex={props.rowIndex}
      aria-selected={selected}
      aria-label={props.name}
      style={{ ...props.style, gridTemplateColumns: props.tracks }}
      onClick={props.onClick}
      onDoubleClick={props.onLook}
      className={`absolute inset-x-0 grid cursor-default items-center gap-x-1.5 border-b border-hair px-2 select-none ${
        selected ? "bg-patina-wash" : "hover:bg-sunk"
      } ${current ? "group-focus-visible:outline-2 group-focus-visible:-outline-offset-2 group-focus-visible:outline-patina" : ""}`}
    >
      <span role="gridcell" aria-colindex={1} className="flex">
        <input
          type="checkbox"
          tabIndex={current ? 0 : -1}
          className="accent-(--patina)"
          aria-label={`Select ${props.name}`}
          checked={selected}
          onClick={(event) => event.stopPropagation()}
          onChange={props.onToggle}
        />
      </span>
      <span role="rowheader" aria-colindex={2} className="group/name flex min-w-0 items-center" title={row?.path}>
        <span className="truncate font-medium">{props.name}</span>
        {current && row?.plan && (
          <button
            type="button"
            className="ml-auto shrink-0 px-1 text-[12px] text-patina hover:underline"
            aria-label={`Look at ${props.name} on the Bench`}
            onClick={(event) => {
              event.stopPropagation();
              props.onLook();
            }}
          >
            look
          </button>
        )}
      </span>
      {!row ? (
        <span role="gridcell" style={span} />
      ) : row.facts === null ? (
        <span role="gridcell" style={span} className="text-soft">
          analysing …
        </span>
      ) : row.plan ? (
        columns.map((column, i) => (
          <span key={column.key} role="gridcell" aria-colindex={i + 3} className={column.look?.(row) ?? ""}>
            {column.cell(row)}
          </span>
        ))
      ) : (
        <span role="gridcell" style={span} className="truncate text-madder" title={row.without_plan ?? ""}>
          ✕ {row.without_plan}
        </span>
      )}
    </div>
  );
}
