/* Sound as it will be made: chunks asked ahead, played with the pictures at any speed either way. */

const CHUNK = 50;
const AHEAD_SECONDS = 2;
const MOST = 48;
const ADRIFT = 0.02;
const FADE = 0.003;

/** What is heard: a name that never means anything else, how long a timeline frame lasts, and which is the last. */
export interface Heard {
  name: string;
  seconds: number;
  last: number;
  /** The address of the sound of some frames. */
  url: (first: number, count: number) => string;
}

let context: AudioContext | null = null;

/** The browser's sound, which may begin only after a key or a click. */
function sounding(): AudioContext {
  context ??= new AudioContext({ sampleRate: 48_000 });
  if (context.state === "suspended") void context.resume();
  return context;
}

const kept = new Map<string, AudioBuffer>();
const asked = new Map<string, Promise<AudioBuffer>>();

function keep(key: string, buffer: AudioBuffer): AudioBuffer {
  kept.set(key, buffer);
  for (const oldest of kept.keys()) {
    if (kept.size <= MOST) break;
    kept.delete(oldest);
  }
  return buffer;
}

function chunk(heard: Heard, number: number, backwards: boolean): AudioBuffer | undefined {
  const key = `${heard.name} ${number}`;
  const ready = kept.get(backwards ? `${key} back` : key);
  if (ready) return ready;
  const forwards = kept.get(key);
  if (forwards) return keep(`${key} back`, turned(forwards));
  if (!asked.has(key)) {
    const count = Math.min(CHUNK, heard.last + 1 - number * CHUNK);
    const asking = fetch(heard.url(number * CHUNK, count))
      .then(async (response) => {
        if (!response.ok) throw new Error("No sound.");
        return keep(key, await sounding().decodeAudioData(await response.arrayBuffer()));
      })
      .finally(() => asked.delete(key));
    asking.catch(() => undefined);
    asked.set(key, asking);
  }
  return undefined;
}

function turned(buffer: AudioBuffer): AudioBuffer {
  const back = new AudioBuffer({
    length: buffer.length,
    numberOfChannels: buffer.numberOfChannels,
    sampleRate: buffer.sampleRate,
  });
  for (let channel = 0; channel < buffer.numberOfChannels; channel++)
    back.copyToChannel(buffer.getChannelData(channel).slice().reverse(), channel);
  return back;
}

const now = () => performance.now() / 1000;

/** One run of playing: from a frame, at a speed, from a moment on. */
export class Run {
  private readonly nodes = new Map<string, AudioBufferSourceNode>();
  private offset: number | null = null;

  constructor(
    private readonly from: number,
    private readonly speed: number,
    private readonly begun: number,
  ) {}

  /** The timeline frame by now, exact. */
  at(seconds: number): number {
    return this.from + ((now() - this.begun) * this.speed) / seconds;
  }

  /** Have what comes next of all that is heard play at its moment; to be called often while it plays. */
  keepUp(all: Heard[]): void {
    if (all.length === 0) return this.stop();
    const audio = sounding();
    if (audio.state !== "running") return;
    const ahead = audio.currentTime - (audio.outputLatency || 0) - now();
    if (this.offset === null || Math.abs(this.offset - ahead) > ADRIFT) {
      this.stop();
      this.offset = ahead;
    }
    for (const heard of all) this.ahead(audio, heard, this.offset);
  }

  private ahead(audio: AudioContext, heard: Heard, offset: number): void {
    const backwards = this.speed < 0;
    const pace = Math.abs(this.speed) / heard.seconds;
    const at = this.at(heard.seconds);
    const reach = AHEAD_SECONDS * pace * Math.sign(this.speed);
    const first = Math.floor(Math.min(at, at + reach) / CHUNK);
    const last = Math.floor(Math.max(at, at + reach) / CHUNK);
    for (let number = Math.max(0, first); number <= last && number * CHUNK <= heard.last; number++) {
      const buffer = chunk(heard, number, backwards);
      const name = `${heard.name} ${number}`;
      if (!buffer || this.nodes.has(name)) continue;
      const stop = Math.min(heard.last + 1, (number + 1) * CHUNK);
      const away = backwards ? this.from + 1 - stop : number * CHUNK - this.from;
      const when = this.begun + away / pace + offset;
      const late = Math.max(0, audio.currentTime - when);
      const skip = late * Math.abs(this.speed);
      if (skip >= buffer.duration) continue;
      const node = new AudioBufferSourceNode(audio, { buffer, playbackRate: Math.abs(this.speed) });
      node.connect(audio.destination);
      node.start(Math.max(when, audio.currentTime), skip);
      this.nodes.set(name, node);
    }
  }

  stop(): void {
    for (const node of this.nodes.values()) node.stop();
    this.nodes.clear();
  }
}

const scrubbed = new Map<string, AudioBufferSourceNode>();

/** Play the sound of one frame, as one steps onto it; where it is not at hand yet, as soon as it is. */
export function scrub(heard: Heard, frame: number, wanted: () => boolean): void {
  const audio = sounding();
  const number = Math.floor(frame / CHUNK);
  const play = (buffer: AudioBuffer) => {
    if (!wanted()) return;
    scrubbed.get(heard.name)?.stop();
    const node = new AudioBufferSourceNode(audio, { buffer });
    const soft = new GainNode(audio, { gain: 0 });
    const [from, to] = [audio.currentTime, audio.currentTime + heard.seconds];
    soft.gain.setValueAtTime(0, from);
    soft.gain.linearRampToValueAtTime(1, from + FADE);
    soft.gain.setValueAtTime(1, to - FADE);
    soft.gain.linearRampToValueAtTime(0, to);
    node.connect(soft).connect(audio.destination);
    node.start(from, (frame - number * CHUNK) * heard.seconds, heard.seconds);
    scrubbed.set(heard.name, node);
  };
  const ready = chunk(heard, number, false);
  if (ready) play(ready);
  else void asked.get(`${heard.name} ${number}`)?.then(play, () => undefined);
}
