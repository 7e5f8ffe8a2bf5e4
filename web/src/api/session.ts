import { readonly, ref } from "vue";

import { answer, api } from "./client";

const name = ref<string | null>(null);
const known = ref(false);

/** Who is signed in, and the verbs of signing in and out. */
export function useSession() {
  async function look() {
    name.value = (await answer(api.GET("/api/session"))).username ?? null;
    known.value = true;
  }
  async function signIn(username: string, password: string) {
    name.value = (await answer(api.POST("/api/session", { body: { username, password } }))).username ?? null;
  }
  async function signOut() {
    await api.DELETE("/api/session");
    name.value = null;
  }
  /** Signed out elsewhere, or for too long: the page asks for the password again. */
  function lost() {
    name.value = null;
  }
  return { name: readonly(name), known: readonly(known), look, signIn, signOut, lost };
}
