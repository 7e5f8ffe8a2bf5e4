import { ref, type Ref, shallowReactive, watch } from "vue";

import { answer, api, type Schemas } from "./client";

export type LibraryFile = Schemas["FileOut"];

/** What the library tells of a drawing (``zeitbild.library.drawing``). */
export interface DrawingFacts {
  colours: string[];
  width: number;
  height: number;
  notes: string[];
}

/** Files by project and kind; what is brought is seen wherever the list is shown. */
const lists = shallowReactive(new Map<string, LibraryFile[]>());

/** The files of one kind of a project: the list, and how a new one is put into it. */
export function useLibrary(kind: string, project: Ref<number>) {
  const failure = ref("");
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
      if (!lists.has(key())) load().catch((error: unknown) => (failure.value = String(error)));
    },
    { immediate: true },
  );
  return {
    failure,
    load,
    all: () => lists.get(key()) ?? [],
    add(file: LibraryFile) {
      lists.set(key(), [file, ...(lists.get(key()) ?? []).filter((one) => one.key !== file.key)]);
    },
  };
}
