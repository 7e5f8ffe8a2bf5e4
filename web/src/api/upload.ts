import { csrfToken, Problem, problemOf } from "./client";

/** MB that the server takes of a file, by what the address ends with; more it would not even read. */
const MOST_MB: Record<string, number> = { fonts: 30, pictures: 64, skies: 64 };

/** Send a file to an address; throws the Problem that says why it was not taken. */
export async function upload<T>(address: string, file: File): Promise<T> {
  const most = MOST_MB[address.split("/").at(-1) ?? ""] ?? 64;
  if (file.size > most * 1024 * 1024)
    throw new Problem(
      413,
      "too-large",
      `${file.name} is larger than ${most} MB, which is the most that is taken here.`,
    );
  const body = new FormData();
  body.append("file", file);
  const response = await fetch(address, { method: "POST", headers: { "X-CSRFToken": csrfToken() }, body });
  if (!response.ok) throw await problemOf(response);
  return (await response.json()) as T;
}
