import { pictureUrl } from "../data";

/* Decoded pictures of the Bench, by address. What an address stands for never changes, so they are kept as they are. */

const MOST = 240;
const kept = new Map<string, ImageBitmap>();
const asked = new Map<string, Promise<ImageBitmap>>();

function keep(url: string, bitmap: ImageBitmap): ImageBitmap {
  kept.set(url, bitmap);
  for (const [oldest, old] of kept) {
    if (kept.size <= MOST) break;
    kept.delete(oldest);
    old.close();
  }
  return bitmap;
}

/** The picture if it is at hand. */
export function atHand(url: string): ImageBitmap | undefined {
  const found = kept.get(url);
  if (found) {
    kept.delete(url);
    kept.set(url, found);
  }
  return found;
}

/** The picture, asked of the server where it is not at hand. */
export function picture(url: string): Promise<ImageBitmap> {
  const found = atHand(url);
  if (found) return Promise.resolve(found);
  const under = asked.get(url);
  if (under) return under;
  const asking = fetch(url)
    .then(async (response) => {
      if (!response.ok) throw new Error(((await response.json()) as { detail?: string }).detail ?? "No picture.");
      return keep(url, await createImageBitmap(await response.blob()));
    })
    .finally(() => asked.delete(url));
  asked.set(url, asking);
  return asking;
}

interface Turn {
  url: string;
  done: (bitmap: ImageBitmap) => void;
  failed: (error: unknown) => void;
}
const turns = new Map<string, { busy: boolean; next: Turn | null }>();

/**
 * The picture, but one at a time for each side: while one is being made, only the last one asked for waits, so that
 * stepping quickly does not leave the server with pictures that nobody looks at any more.
 */
export function inTurn(side: string, url: string): Promise<ImageBitmap> {
  const at = turns.get(side) ?? { busy: false, next: null };
  turns.set(side, at);
  return new Promise((done, failed) => {
    at.next = { url, done, failed };
    if (!at.busy) void goOn(at);
  });
}

async function goOn(at: { busy: boolean; next: Turn | null }): Promise<void> {
  at.busy = true;
  while (at.next) {
    const turn = at.next;
    at.next = null;
    await picture(turn.url).then(turn.done, turn.failed);
  }
  at.busy = false;
}

const NEXT = 2;
const FAR = 10;

/** Have the next pictures at hand for whoever goes by even steps of a few frames. */
export async function nextOnes(at: number, step: number, length: number, url: (at: number) => string): Promise<void> {
  if (!step || Math.abs(step) > FAR) return;
  for (const next of Array.from({ length: NEXT }, (_, i) => at + (i + 1) * step))
    if (next >= 0 && next < length) await picture(url(next)).catch(() => undefined);
}

const running = new Set<string>();

/** Ask for many frames at once, ahead of playing; each length stands before its picture, in four bytes. */
export async function runAhead(token: string, first: number, count: number, size: string): Promise<void> {
  const key = `${token} ${first} ${size}`;
  if (running.has(key) || atHand(pictureUrl(token, first + count - 1, size, "whole"))) return;
  running.add(key);
  try {
    const response = await fetch(`/api/bench/${token}/run?first=${first}&count=${count}&size=${size}`);
    if (!response.ok) return;
    const data = await response.arrayBuffer();
    const view = new DataView(data);
    let at = 0;
    for (let frame = first; at < data.byteLength; frame++) {
      const length = view.getUint32(at, true);
      const blob = new Blob([data.slice(at + 4, at + 4 + length)], { type: "image/jpeg" });
      keep(pictureUrl(token, frame, size, "whole"), await createImageBitmap(blob));
      at += 4 + length;
    }
  } finally {
    running.delete(key);
  }
}
