import { onScopeDispose } from "vue";

import { csrfToken, problemOf } from "@/api/client";
import { useOffers } from "@/api/offers";
import { heardOf } from "@/shot/document";
import { useShot } from "@/shot/store";

/** Seconds that a frame is heard for while somebody walks over it, at least: shorter is a click. */
const SHORTEST = 0.045;
const RAMP = 0.004;

export interface Heard {
  /** Seconds since playing began, by the clock of the sound card, as they are heard. */
  seconds: () => number;
  stop: () => void;
}

export type Sound = ReturnType<typeof useSound>;

/** The sound of the draft, as the server mixes it, in step with the picture. */
export function useSound() {
  const shot = useShot();
  const offers = useOffers();
  let context: AudioContext | null = null;
  let held: { signature: string; buffer: AudioBuffer; first: number } | null = null;
  let snippet: AudioBufferSourceNode | null = null;

  const rate = () => offers.value?.rates.find((one) => one.name === shot.draft?.timing.rate)?.value ?? 24;
  const signature = () => JSON.stringify([shot.draft?.sounds, shot.draft?.timing]);

  /** The mix of the whole range; null if there is none. */
  async function load(): Promise<AudioBuffer | null> {
    const document = shot.draft;
    if (!document || !heardOf(document.sounds).length) return null;
    if (held?.signature === signature()) return held.buffer;
    context ??= new AudioContext({ sampleRate: 48_000 });
    const own = signature();
    const { first, last } = document.timing;
    const response = await fetch(`/api/shots/${shot.id}/sound`, {
      method: "POST",
      headers: { "Content-Type": "application/json", "X-CSRFToken": csrfToken() },
      body: JSON.stringify({ document, first, count: last - first + 1 }),
    });
    if (!response.ok) throw await problemOf(response);
    const buffer = await context.decodeAudioData(await response.arrayBuffer());
    held = { signature: own, buffer, first };
    return buffer;
  }

  /** Plays the range as a loop from a frame on; null if nothing is to be heard. */
  async function play(frame: number): Promise<Heard | null> {
    const buffer = await load();
    if (!buffer || !context) return null;
    await context.resume();
    const source = context.createBufferSource();
    source.buffer = buffer;
    source.loop = true;
    source.connect(context.destination);
    const offset = Math.max(0, (frame - (held?.first ?? frame)) / rate());
    const begins = context.currentTime + 0.03;
    source.start(begins, offset);
    const own = context;
    return {
      // What is sent to the sound card is heard a little later.
      seconds: () => Math.max(0, own.currentTime - begins - (own.outputLatency || 0)),
      stop: () => {
        source.stop();
        source.disconnect();
      },
    };
  }

  /** The sound of one frame, for who walks over the sheet. */
  async function hear(frame: number) {
    try {
      const buffer = await load();
      if (!buffer || !context || !held) return;
      await context.resume();
      snippet?.stop();
      const gain = context.createGain();
      const length = Math.max(1 / rate(), SHORTEST);
      const at = context.currentTime;
      gain.gain.setValueAtTime(0, at);
      gain.gain.linearRampToValueAtTime(1, at + RAMP);
      gain.gain.setValueAtTime(1, at + length - RAMP);
      gain.gain.linearRampToValueAtTime(0, at + length);
      snippet = context.createBufferSource();
      snippet.buffer = buffer;
      snippet.connect(gain).connect(context.destination);
      snippet.start(at, Math.max(0, (frame - held.first) / rate()), length);
    } catch {
      // What is wrong with a sound is said among the findings.
    }
  }

  onScopeDispose(() => void context?.close());
  return { play, hear };
}
