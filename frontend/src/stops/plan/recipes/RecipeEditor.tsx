import { useQuery } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { answer, api, type Schemas } from "../../../data/client";
import { useAct, useDeliveries } from "../../../data/queries";
import { DecidesForm, decidesBody, decidesOf, NOTHING, type Decides } from "../../../ui/DecidesForm";
import { pairs, useVocabulary } from "../../../data/vocabulary";
import { Button, fieldLook, Labelled, Number, Options } from "../../../ui/parts";
import { Sheet } from "../../../ui/Sheet";

type Rule = Record<string, string>;

/** A recipe: its name, which clips it fits, with a live count, and what it decides for them. */
export function RecipeEditor(props: {
  showId: number;
  recipe: Schemas["RecipeView"] | null;
  one: Schemas["ClipRow"] | undefined;
  tags: string[];
  close: () => void;
}) {
  const { showId, recipe, close } = props;
  const deliveries = useDeliveries(showId).data ?? [];
  const { conditions } = useVocabulary();
  const [name, setName] = useState(recipe?.name ?? "");
  const [byRule, setByRule] = useState(recipe ? recipe.rule !== null : true);
  const [rule, setRule] = useState<Rule>(() => flat(recipe?.rule ?? null));
  const [decides, setDecides] = useState<Decides>(recipe ? decidesOf(recipe.decisions) : NOTHING);
  const body = ruleBody(rule);
  const asked = useDeferredValue(JSON.stringify(body));
  const path = { show_id: showId };
  const count = useQuery({
    queryKey: ["recipes", showId, "count", asked],
    enabled: byRule,
    retry: false,
    placeholderData: (before: Schemas["RuleCount"] | undefined) => before,
    queryFn: () =>
      answer(
        api.POST("/api/shows/{show_id}/recipes/count", {
          params: { path },
          body: JSON.parse(asked) as Schemas["RuleIn"],
        }),
      ),
  });
  const save = useAct(
    () => {
      const given = { name, ...decidesBody(decides), rule: byRule ? body : null } as Schemas["RecipeIn"];
      return recipe
        ? answer(
            api.PUT("/api/shows/{show_id}/recipes/{recipe_id}", {
              params: { path: { ...path, recipe_id: recipe.id } },
              body: { ...given, revision: recipe.revision },
            }),
          )
        : answer(api.POST("/api/shows/{show_id}/recipes", { params: { path }, body: given }));
    },
    (made) => {
      close();
      return made.title;
    },
  );
  const put = (key: string, value: string) => setRule({ ...rule, [key]: value });
  const text = (key: string, label: string, example: string) => (
    <Labelled key={key} label={label}>
      <input
        className={fieldLook}
        placeholder={example}
        value={rule[key] ?? ""}
        onChange={(event) => put(key, event.target.value)}
      />
    </Labelled>
  );
  const choice = (key: string, label: string, choices: [string, string][]) => (
    <Labelled key={key} label={label}>
      <select className={fieldLook} value={rule[key] ?? ""} onChange={(event) => put(key, event.target.value)}>
        <option value="">whichever</option>
        <Options of={choices} />
      </select>
    </Labelled>
  );
  const end = (key: string, label: string, which: "least" | "most") => (
    <input
      aria-label={`${label} ${which === "least" ? "from" : "to"}`}
      className={`${fieldLook} font-mono`}
      value={rule[`${key}.${which}`] ?? ""}
      onChange={(event) => put(`${key}.${which}`, event.target.value)}
    />
  );
  const condition = ({ key, name: label, kind, choices, example }: Schemas["ConditionWordsView"]) => {
    switch (kind) {
      case "range":
        return (
          <Labelled key={key} label={`${label}, from and to`}>
            <span className="flex gap-1">
              {end(key, label, "least")}
              {end(key, label, "most")}
            </span>
          </Labelled>
        );
      case "choice":
        return choice(key, label, pairs(choices));
      case "delivery":
        return choice(
          key,
          label,
          deliveries.map((d) => [d.name, d.name]),
        );
      case "tag":
        return choice(
          key,
          label,
          props.tags.map((tag) => [tag, tag]),
        );
      default:
        return text(key, label, example);
    }
  };
  return (
    <Sheet
      open
      wide
      close={close}
      title={recipe ? `Change “${recipe.name}”` : "New recipe"}
      foot={
        <>
          {recipe && recipe.on > 0 && (
            <span className="mr-auto text-[12.5px] text-brass">
              ▲ It is on <Number>{recipe.on}</Number> {recipe.on === 1 ? "clip, which follows" : "clips, which follow"}.
            </span>
          )}
          <Button onClick={close}>Cancel</Button>
          <Button weight="main" disabled={!name.trim() || save.isPending} onClick={() => save.mutate(undefined)}>
            {recipe ? `Set “${name}”` : `Make “${name || "…"}”`}
          </Button>
        </>
      }
    >
      <div className="min-h-0 flex-1 overflow-auto px-4 pb-2">
        <Labelled label="Name">
          <input
            className={fieldLook}
            value={name}
            autoFocus
            placeholder="High-frame-rate at half real time"
            onChange={(event) => setName(event.target.value)}
          />
        </Labelled>
        <div className="mt-3 flex items-baseline gap-3">
          <h3 className="font-semibold">Matches clips that are</h3>
          <label className="flex items-center gap-1.5 text-soft">
            <input
              type="checkbox"
              className="accent-(--patina)"
              checked={!byRule}
              onChange={(event) => setByRule(!event.target.checked)}
            />
            none; applied by hand only
          </label>
          {byRule && (
            <span className="ml-auto" aria-live="polite">
              {count.error ? (
                <span className="text-madder">▲ {count.error.message}</span>
              ) : (
                <span title={count.data?.names.join("\n")}>
                  fits <Number className="font-medium text-patina">{count.data?.fits ?? "…"}</Number> now
                </span>
              )}
            </span>
          )}
        </div>
        {byRule && (
          <div className="mt-1 grid grid-cols-4 gap-x-3 gap-y-1.5">{conditions.map((one) => condition(one))}</div>
        )}
        <div className="mt-3 mb-1 flex items-baseline gap-3">
          <h3 className="font-semibold">Sets</h3>
          <span className="text-soft">empty fields are inherited from delivery and show</span>
        </div>
        <DecidesForm value={decides} set={setDecides} />
      </div>
    </Sheet>
  );
}

function flat(rule: Record<string, unknown> | null): Rule {
  const out: Rule = {};
  for (const [key, value] of Object.entries(rule ?? {})) {
    if (typeof value === "object" && value !== null)
      for (const [end, bound] of Object.entries(value)) out[`${key}.${end}`] = shortened(String(bound));
    else out[key] = String(value);
  }
  return out;
}

function shortened(exact: string): string {
  return exact.endsWith("/1") ? exact.slice(0, -2) : exact;
}

function ruleBody(rule: Rule): Schemas["RuleIn"] {
  const out: Record<string, unknown> = {};
  for (const [key, value] of Object.entries(rule)) {
    if (value.trim() === "") continue;
    const [name = "", end] = key.split(".");
    if (end) out[name] = { ...((out[name] as object | undefined) ?? {}), [end]: value.trim() };
    else out[name] = key === "confirmed" ? value === "true" : value.trim();
  }
  return out as Schemas["RuleIn"];
}
