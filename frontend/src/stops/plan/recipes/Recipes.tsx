import { ArrowDown, ArrowUp, Pencil, Trash2 } from "lucide-react";
import { useState } from "react";
import { answer, api, type Schemas } from "../../../data/client";
import { useAct, useRecipes } from "../../../data/queries";
import { Button, Number } from "../../../ui/parts";
import type { Decide } from "../decide";
import { RecipeEditor } from "./RecipeEditor";
import { RunPreview } from "./RunPreview";

type Recipe = Schemas["RecipeView"];

/** The show's recipes in their order: the first that fits a clip decides. Run over a batch, or put on by hand. */
export function Recipes(props: {
  showId: number;
  selected: number[];
  shown: number[];
  tags: string[];
  one: Schemas["ClipRow"] | undefined;
  decide: Decide;
}) {
  const { showId, selected, shown } = props;
  const recipes = useRecipes(showId).data ?? [];
  const [editing, setEditing] = useState<Recipe | "new" | null>(null);
  const [running, setRunning] = useState<{ ids: number[]; recipe: number | null } | null>(null);
  const path = { show_id: showId };
  const order = useAct(
    (ids: number[]) => answer(api.POST("/api/shows/{show_id}/recipes/order", { params: { path }, body: { ids } })),
    (made) => made.title,
  );
  const remove = useAct(
    (id: number) =>
      answer(api.DELETE("/api/shows/{show_id}/recipes/{recipe_id}", { params: { path: { ...path, recipe_id: id } } })),
    (made) => made.title,
  );
  const move = (at: number, by: number) => {
    const ids = recipes.map((recipe) => recipe.id);
    const [moved] = ids.splice(at, 1);
    if (moved !== undefined) ids.splice(at + by, 0, moved);
    order.mutate(ids);
  };
  const batch = selected.length ? selected : shown;
  const clips = `${batch.length} ${batch.length === 1 ? "clip" : "clips"}`;
  return (
    <section className="flex min-h-0 flex-1 flex-col" aria-label="Recipes">
      <div className="flex items-center gap-2 border-b border-hair px-3 py-2">
        <Button
          weight="main"
          disabled={!recipes.length || !batch.length}
          onClick={() => setRunning({ ids: batch, recipe: null })}
        >
          Run on {clips}…
        </Button>
        <Button onClick={() => setEditing("new")}>New recipe…</Button>
      </div>
      {recipes.length === 0 && (
        <p className="p-3 text-soft">
          A recipe sets a treatment for all clips that match its rule, such as “shot from 100: half real time”. Recipes
          are tried in order; the first match is used.
        </p>
      )}
      <ol className="min-h-0 flex-1 overflow-auto">
        {recipes.map((recipe, at) => (
          <li key={recipe.id} className="border-b border-hair px-3 py-2" aria-label={`Recipe ${recipe.name}`}>
            <div className="flex items-center gap-1">
              <Number className="w-5 text-soft">{at + 1}</Number>
              <span className="truncate font-medium">{recipe.name}</span>
              <span className="ml-auto flex shrink-0 items-center gap-1 text-soft">
                <IconButton name={`${recipe.name} earlier`} disabled={at === 0} act={() => move(at, -1)}>
                  <ArrowUp size={14} aria-hidden />
                </IconButton>
                <IconButton name={`${recipe.name} later`} disabled={at === recipes.length - 1} act={() => move(at, 1)}>
                  <ArrowDown size={14} aria-hidden />
                </IconButton>
                <IconButton name={`Change ${recipe.name}`} act={() => setEditing(recipe)}>
                  <Pencil size={14} aria-hidden />
                </IconButton>
                <IconButton name={`Take ${recipe.name} away`} act={() => remove.mutate(recipe.id)}>
                  <Trash2 size={14} aria-hidden />
                </IconButton>
              </span>
            </div>
            <p className="pl-5">{recipe.words}</p>
            <p className="pl-5 text-[12.5px] text-soft">fits: {recipe.rule_words}</p>
            <div className="flex items-center gap-2 pl-5 text-[12.5px] text-soft">
              <span>
                fits <Number>{recipe.fits}</Number> first, is on <Number>{recipe.on}</Number>
              </span>
              <Button
                weight="quiet"
                className="ml-auto h-6! px-1!"
                disabled={!selected.length}
                onClick={() => props.decide({ recipe: recipe.id })}
              >
                Apply to {selected.length} selected
              </Button>
            </div>
          </li>
        ))}
        {selected.length > 0 && recipes.some((recipe) => recipe.on > 0) && (
          <li className="px-3 py-2">
            <Button weight="quiet" onClick={() => props.decide({ recipe: null })}>
              Remove the recipe {selected.length} selected
            </Button>
          </li>
        )}
      </ol>
      {editing && (
        <RecipeEditor
          showId={showId}
          recipe={editing === "new" ? null : editing}
          one={props.one}
          tags={props.tags}
          close={() => setEditing(null)}
        />
      )}
      {running && <RunPreview showId={showId} {...running} close={() => setRunning(null)} />}
    </section>
  );
}

function IconButton(props: { name: string; disabled?: boolean; act: () => void; children: React.ReactNode }) {
  return (
    <button
      type="button"
      aria-label={props.name}
      title={props.name}
      disabled={props.disabled}
      className="p-0.5 hover:text-patina disabled:opacity-30"
      onClick={props.act}
    >
      {props.children}
    </button>
  );
}
