import { useState } from "react";
import { Link } from "react-router";
import { answer, api, type Schemas } from "../../data/client";
import { useAct, useHouse, useRecipes } from "../../data/queries";
import { useVocabulary } from "../../data/vocabulary";
import { DecidesForm, decidesBody, decidesOf, type Decides } from "../../ui/DecidesForm";
import { Button, fieldLook, Heading, ImportButton, Number } from "../../ui/parts";
import { Sheet } from "../../ui/Sheet";
import { PreviewTable, UseSums } from "../plan/PreviewTable";

interface Open {
  delivery: number | null;
  name: string;
  start: Decides;
}

/** House rules: what the show and its deliveries decide above the clips, and what receiving systems take. */
export function House({ showId }: { showId: number }) {
  const house = useHouse(showId).data;
  const recipes = useRecipes(showId).data ?? [];
  const { precisions } = useVocabulary();
  const [open, setOpen] = useState<Open | null>(null);
  const path = { show_id: showId };
  const receive = useAct(
    (receiving: Schemas["Precision"]) =>
      answer(api.PUT("/api/shows/{show_id}/receiving", { params: { path }, body: { receiving } })),
    (made) => made.title,
  );
  const read = useAct(
    async (chosen: File) => {
      const body = JSON.parse(await chosen.text()) as Schemas["HouseDocument"];
      return answer(api.POST("/api/shows/{show_id}/house.json", { params: { path }, body }));
    },
    (made) => made.title,
  );
  if (!house) return null;
  const lines = [
    { id: null, name: "The whole show", decisions: house.decisions },
    ...house.deliveries.map((one) => ({ id: one.id, name: one.name, decisions: one.decisions })),
  ];
  return (
    <>
      <Heading
        aside={
          <span className="flex items-center gap-2">
            <a className="text-patina hover:underline" href={`/api/shows/${showId}/house.json`} download="house.json">
              Export rules and recipes
            </a>
            <a className="text-soft hover:underline" href="/api/house.schema.json" target="_blank" rel="noreferrer">
              schema
            </a>
            <ImportButton label="Rules and recipes file" read={(chosen) => read.mutate(chosen)} />
          </span>
        }
      >
        House rules
      </Heading>
      <div className="flex items-center gap-3 border-b border-hair px-3 py-2">
        <label htmlFor="receiving">Receiving systems accept</label>
        <select
          id="receiving"
          className={`${fieldLook} w-56!`}
          value={house.receiving}
          onChange={(event) => receive.mutate(event.target.value as Schemas["Precision"])}
        >
          {precisions.map((one) => (
            <option key={one.precision} value={one.precision}>
              {one.label}
            </option>
          ))}
        </select>
        <Link className="ml-auto text-patina hover:underline" to={`/shows/${showId}/plan?side=recipes`}>
          <Number>{recipes.length}</Number> {recipes.length === 1 ? "recipe" : "recipes"}
        </Link>
      </div>
      <table className="w-full" aria-label="Defaults">
        <thead className="text-left text-[12px] text-soft">
          <tr className="h-7 border-b border-hair">
            <th className="w-64 pl-3 font-normal">Default of</th>
            <th className="font-normal">Default, used where nothing more specific is set</th>
            <th className="w-24" aria-label="Change" />
          </tr>
        </thead>
        <tbody>
          {lines.map((line) => (
            <tr key={line.id ?? "show"} className="h-8 border-b border-hair">
              <td className="max-w-64 truncate pl-3 font-medium">{line.name}</td>
              <td className={`truncate ${line.decisions.length ? "" : "text-soft italic"}`}>
                {line.decisions.map((one) => one.words).join(", ") || "nothing"}
              </td>
              <td className="pr-2 text-right">
                <Button
                  weight="quiet"
                  aria-label={`Change the default of ${line.name}`}
                  onClick={() => setOpen({ delivery: line.id, name: line.name, start: decidesOf(line.decisions) })}
                >
                  Change…
                </Button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {open && <DefaultSheet showId={showId} open={open} close={() => setOpen(null)} />}
    </>
  );
}

/** A default, changed in two steps: what it shall decide, then what that reaches. */
function DefaultSheet({ showId, open, close }: { showId: number; open: Open; close: () => void }) {
  const [decides, setDecides] = useState(open.start);
  const path = { show_id: showId };
  const body = { ...decidesBody(decides), delivery_id: open.delivery } as Schemas["HouseChange"];
  const look = useAct(() => answer(api.POST("/api/shows/{show_id}/house/preview", { params: { path }, body })));
  const set = useAct(
    () => answer(api.PUT("/api/shows/{show_id}/house", { params: { path }, body })),
    (made) => {
      close();
      return made.title;
    },
  );
  const preview = look.data;
  const moved = preview?.uses.reduce((sum, use) => sum + use.moved, 0) ?? 0;
  return (
    <Sheet
      open
      wide
      close={close}
      title={`Default of ${open.name}`}
      foot={
        <>
          <Button onClick={close}>Cancel</Button>
          {preview ? (
            <Button weight="main" onClick={() => set.mutate(undefined)} autoFocus>
              {moved ? `Set it, ${moved} ${moved === 1 ? "use changes" : "uses change"}` : "Set (no clip changes)"}
            </Button>
          ) : (
            <Button weight="main" onClick={() => look.mutate(undefined)}>
              Preview affected clips
            </Button>
          )}
        </>
      }
    >
      <div className="px-4 pb-3">
        <DecidesForm
          value={decides}
          set={(value) => {
            setDecides(value);
            look.reset();
          }}
        />
      </div>
      {preview && (
        <>
          <ul className="px-4 pb-2" aria-label="Affected clips">
            {preview.uses.map((use) => (
              <li key={use.timeline_id} className="flex gap-2 py-0.5">
                <span className="w-28 truncate font-medium">{use.timeline}</span>
                <UseSums use={use} />
              </li>
            ))}
          </ul>
          <PreviewTable
            label="Clips that change"
            moves={preview.uses[0]?.moves ?? []}
            more={(preview.uses[0]?.moved ?? 0) - (preview.uses[0]?.moves.length ?? 0)}
          />
        </>
      )}
    </Sheet>
  );
}
