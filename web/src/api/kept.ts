import { ref, type Ref, shallowReactive, watch } from "vue";

import { answer, api, type Schemas } from "./client";

export type Kept = Schemas["ReadyOut"];
export type KeptKind = "finish" | "lights" | "camera" | "element" | "forms";

/** What projects keep, by project; what is kept is seen wherever the list is shown. */
const lists = shallowReactive(new Map<number, Kept[]>());
/** The same of what was put away, once it was asked for. */
const awayLists = shallowReactive(new Map<number, Kept[]>());
/** Pictures of something that was kept anew under its name are asked for anew. */
const renewed = ref(0);

/** What a project keeps under a name: finishes, sets of lights, cameras, elements, forms of hand-offs. */
export function useKept(project: Ref<number>) {
  async function load() {
    if (!project.value) return;
    const found = await answer(
      api.GET("/api/projects/{project_id}/kept", { params: { path: { project_id: project.value } } }),
    );
    lists.set(project.value, found);
    if (awayLists.has(project.value)) await loadAway();
  }
  async function loadAway() {
    const params = { path: { project_id: project.value }, query: { deleted: true } };
    awayLists.set(project.value, await answer(api.GET("/api/projects/{project_id}/kept", { params })));
  }
  watch(
    project,
    () => {
      // Without it nothing is offered; what is wrong is told by whoever keeps something.
      if (!lists.has(project.value)) load().catch(() => {});
    },
    { immediate: true },
  );
  return {
    load,
    loadAway,
    away: () => awayLists.get(project.value) ?? [],
    all: () => lists.get(project.value) ?? [],
    of: (kind: KeptKind) => (lists.get(project.value) ?? []).filter((one) => one.kind === kind),
    picture: (one: Kept) => `/api/projects/${project.value}/kept/${one.id}/poster?at=${renewed.value}`,
    async keep(kind: KeptKind, name: string, content: unknown) {
      await answer(
        api.POST("/api/projects/{project_id}/kept", {
          params: { path: { project_id: project.value } },
          body: { kind, name, content },
        }),
      );
      renewed.value += 1;
      await load();
    },
    async letGo(one: Kept) {
      await api.DELETE("/api/projects/{project_id}/kept/{kept}", {
        params: { path: { project_id: project.value, kept: one.id } },
      });
      await load();
    },
    async takeBack(one: Kept) {
      await api.POST("/api/projects/{project_id}/kept/{kept}/back", {
        params: { path: { project_id: project.value, kept: one.id } },
      });
      await load();
    },
  };
}
