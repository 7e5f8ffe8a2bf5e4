import { ref, type Ref, shallowReactive, watch } from "vue";

import { answer, api, type Schemas } from "./client";
import { useOffers } from "./offers";

export type LibraryFile = Schemas["FileOut"];

/** A part of a drawing: what it hangs on, the drawings in it of which one may be shown alone, and how it turns. */
export interface LimbFacts {
  code: string;
  name: string;
  inside: string;
  drawings: string[];
  bends: boolean;
  turns_about: string;
  shows: number;
}

/** What the library tells of a file (``zeitbild.library``): what it has of finishes by name, and parts that can be hidden. */
export interface FileFacts {
  summary: string;
  notes: string[];
  /** What kind of file it is among those of its kind, and what else people should know. */
  kind?: string;
  about?: string;
  finishes: { name: string; colour: string; values: Record<string, unknown> }[];
  parts?: string[];
  /** Pictures of footage. */
  count?: number;
  clips?: { name: string; seconds: number }[];
  /** Targets of a model, each with what documents call it. */
  targets?: { code: string; name: string }[];
  /** Parts of a drawing that move by themselves, each after the one that it stands in. */
  limbs?: LimbFacts[];
}

/** Files by project and kind; what is brought is seen wherever the list is shown. */
const lists = shallowReactive(new Map<string, LibraryFile[]>());

/** The files of one kind of a project: the list, and how a new one is put into it. */
export function useLibrary(kind: string, project: Ref<number>) {
  const failure = ref("");
  const offers = useOffers();
  const key = () => `${project.value}/${kind}`;
  async function load(): Promise<LibraryFile[]> {
    if (!project.value) return [];
    const found = await answer(
      api.GET("/api/projects/{project_id}/files/{kind}", { params: { path: { project_id: project.value, kind } } }),
    );
    lists.set(key(), found);
    return found;
  }
  watch(
    project,
    () => {
      if (!lists.has(key()))
        load().catch((error: unknown) => (failure.value = error instanceof Error ? error.message : String(error)));
    },
    { immediate: true },
  );
  return {
    failure,
    load,
    all: () => lists.get(key()) ?? [],
    /** What is known of a file by its key, brought or shipped. */
    factsOf(file: unknown) {
      const known =
        lists.get(key())?.find((one) => one.key === file) ??
        offers.value?.library[kind]?.shipped.find((one) => one.key === file);
      return known?.facts as FileFacts | undefined;
    },
    add(file: LibraryFile) {
      lists.set(key(), [file, ...(lists.get(key()) ?? []).filter((one) => one.key !== file.key)]);
    },
  };
}
