import { createRouter, createWebHistory } from "vue-router";

import AccountPage from "./projects/AccountPage.vue";
import ProjectPage from "./projects/ProjectPage.vue";
import ProjectsPage from "./projects/ProjectsPage.vue";
import ShotPage from "./ShotPage.vue";

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: "/", component: ProjectsPage },
    { path: "/account", component: AccountPage },
    { path: "/projects/:id(\\d+)", component: ProjectPage, props: (route) => ({ id: Number(route.params.id) }) },
    { path: "/shots/:id(\\d+)", redirect: (to) => `/shots/${String(to.params.id)}/build` },
    {
      path: "/shots/:id(\\d+)/:desk(build|time|split|run|proof|handoff)",
      component: ShotPage,
      props: (route) => ({ id: Number(route.params.id), desk: String(route.params.desk) }),
    },
    { path: "/:rest(.*)*", redirect: "/" },
  ],
});
