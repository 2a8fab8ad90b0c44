import createClient from "openapi-fetch";
import type { components, paths } from "../api/schema";
import { person } from "./preferences";

export type Schemas = components["schemas"];

/** An error the server explained: `message` is its sentence. */
export class Refusal extends Error {
  constructor(
    message: string,
    readonly code: string,
  ) {
    super(message);
  }
}

export const api = createClient<paths>();
api.use({
  onRequest({ request }) {
    request.headers.set("X-Person", encodeURIComponent(person()));
    return request;
  },
});

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** The data of an answer; throws a `Refusal` with the server's own sentence where there is none. */
export async function answer<T>(asked: Promise<Answer<T>>): Promise<T> {
  let got: Answer<T>;
  try {
    got = await asked;
  } catch {
    throw new Refusal("Odd Meter does not answer. Is it still running?", "offline");
  }
  if (got.response.ok) return got.data as T;
  const problem = got.error as { detail?: string; code?: string } | undefined;
  throw new Refusal(problem?.detail ?? `The server answered with ${got.response.status}.`, problem?.code ?? "http");
}
