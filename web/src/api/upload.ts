import { csrfToken, problemOf } from "./client";

/** Send a file to an address; throws the Problem that says why it was not taken. */
export async function upload<T>(address: string, file: File): Promise<T> {
  const body = new FormData();
  body.append("file", file);
  const response = await fetch(address, { method: "POST", headers: { "X-CSRFToken": csrfToken() }, body });
  if (!response.ok) throw await problemOf(response);
  return (await response.json()) as T;
}
