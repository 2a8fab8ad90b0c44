import { useQuery } from "@tanstack/react-query";
import { createContext, useContext, useMemo, type ReactNode } from "react";
import { answer, api, type Schemas } from "./client";
import { Waiting } from "../ui/parts";

export type Part = Schemas["Part"];
export type Mark = Schemas["Mark"];
export type Certainty = Schemas["CertaintyWordsView"];
export type PartWords = Schemas["PartWordsView"];
type Served = Schemas["Vocabulary"];

/** The words of the job as the server keeps them, and ways to find one. */
export interface Vocabulary extends Served {
  mark: (mark: Mark) => Schemas["MarkWordsView"];
  intent: (intent: string) => Schemas["IntentWordsView"] | undefined;
  takesValue: (intent: string) => boolean;
  question: (question: string) => Schemas["QuestionWordsView"];
  certainty: (certainty: string) => Certainty;
  frameKind: (kind: Schemas["FrameKind"]) => Schemas["FrameKindView"];
  /** The parts beside what is wanted; those that concern one way of in-betweens alone only where it is among these. */
  partsFor: (...ways: (string | undefined)[]) => PartWords[];
}

const Context = createContext<Vocabulary | null>(null);

/** Asks for the words once; what is inside waits for them. */
export function VocabularyProvider({ children }: { children: ReactNode }) {
  const got = useQuery({
    queryKey: ["vocabulary"],
    staleTime: Infinity,
    queryFn: () => answer(api.GET("/api/vocabulary")),
  });
  const value = useMemo(() => (got.data ? indexed(got.data) : null), [got.data]);
  if (!value) return <Waiting what="Opening Odd Meter" why={got.failureReason} />;
  return <Context.Provider value={value}>{children}</Context.Provider>;
}

export function useVocabulary(): Vocabulary {
  const value = useContext(Context);
  if (!value) throw new Error("useVocabulary is used outside its provider");
  return value;
}

/** A choice as a select takes it. */
export const pairs = (choices: Schemas["ChoiceView"][]): [string, string][] =>
  choices.map(({ text, label }) => [text, label]);

function indexed(served: Served): Vocabulary {
  const mark = finder(served.marks, (one) => one.mark);
  const question = finder(served.questions, (one) => one.question);
  const certainty = finder(served.certainties, (one) => one.certainty);
  const frameKind = finder(served.frame_kinds, (one) => one.kind);
  const intents = new Map<string, Schemas["IntentWordsView"]>(served.intents.map((one) => [one.intent, one]));
  return {
    ...served,
    mark,
    question,
    certainty,
    frameKind,
    intent: (key) => intents.get(key),
    takesValue: (key) => intents.get(key)?.takes_value ?? false,
    partsFor: (...ways) =>
      served.parts.filter((one) => one.part !== "intent" && (one.only_for === null || ways.includes(one.only_for))),
  };
}

function finder<T>(all: T[], key: (one: T) => string): (wanted: string) => T {
  const known = new Map(all.map((one) => [key(one), one]));
  return (wanted) => {
    const found = known.get(wanted);
    if (found === undefined) throw new Error(`the vocabulary knows no “${wanted}”`);
    return found;
  };
}
