import { ref, shallowRef } from "vue";

import { Problem } from "@/api/client";
import { upload } from "@/api/upload";

import type { Bundle } from "./bundles";

/** What the server says of a file that it took in. */
export interface Brought {
  key: string;
  title: string;
}

/** Files on their way into a project, one thing after the other; what is wrong with one keeps none of the others out. */
export function useBringing(project: () => number) {
  /** What is sent: which of how many, its name, and how much of it is there (0 to 1; then it is read); null while nothing is. */
  const sending = shallowRef<{ number: number; of: number; name: string; share: number } | null>(null);
  const failures = ref<string[]>([]);
  const said = ref<string[]>([]);
  let stopped = new AbortController();

  function usual(bundle: Bundle) {
    const own = bundle.kind === "fonts" || bundle.kind === "skies";
    return `/api/projects/${project()}/${own ? "" : "files/"}${bundle.kind}`;
  }
  /** Send all, to their address; ``took`` hears the answer to each that is there, and may tell in a sentence what became of it. */
  async function bring<T = Brought>(
    bundles: Bundle[],
    took: (bundle: Bundle, answer: T) => string = () => "",
    address: (bundle: Bundle) => string = usual,
  ) {
    if (sending.value) {
      failures.value.push("Something else is on its way still; bring these when it is there.");
      return;
    }
    failures.value = [];
    said.value = [];
    stopped = new AbortController();
    try {
      for (const [at, bundle] of bundles.entries()) {
        if (stopped.signal.aborted) break;
        const about = { number: at + 1, of: bundles.length, name: bundle.name };
        if (!bundle.kind) {
          const what = "fonts, drawings, models, pictures, movies and sounds are";
          failures.value.push(`${bundle.files[0]?.name} is nothing that is shown or heard here: ${what}.`);
          continue;
        }
        sending.value = { ...about, share: 0 };
        try {
          const sent = (share: number) => (sending.value = { ...about, share });
          const answer = await upload<T>(address(bundle), bundle.files, sent, stopped.signal);
          // It is there; but whoever left does not want it in what is open now.
          if (stopped.signal.aborted) break;
          const tale = took(bundle, answer);
          if (tale) said.value.push(tale);
        } catch (error) {
          if (!(error instanceof Problem)) throw error;
          failures.value.push(error.message);
          // The others would fare no better.
          if (error.code === "offline" || error.code === "stopped") break;
        }
      }
    } finally {
      sending.value = null;
    }
  }
  function stop() {
    stopped.abort();
  }
  function clear() {
    failures.value = [];
    said.value = [];
  }
  return { sending, failures, said, bring, stop, clear };
}
