import { megabytes } from "@/shot/cellMarks";

import { csrfToken, Problem, problemOf } from "./client";
import { loadOffers } from "./offers";

/** Send a file to an address; throws the Problem that says why it was not taken. */
export async function upload<T>(address: string, file: File): Promise<T> {
  const { largest } = await loadOffers();
  const most = largest[address.split("/").at(-1) ?? ""];
  if (most && file.size > most)
    throw new Problem(413, "too-large", `${file.name} is larger than ${megabytes(most)}, the most that is taken here.`);
  const body = new FormData();
  body.append("file", file);
  const response = await fetch(address, { method: "POST", headers: { "X-CSRFToken": csrfToken() }, body });
  if (!response.ok) throw await problemOf(response);
  return (await response.json()) as T;
}
