import { megabytes } from "@/shot/cellMarks";

import { csrfToken, Problem, problemOf } from "./client";
import { loadOffers } from "./offers";

/** As many as the server takes in one go. */
const MOST_FILES = 5000;
/**
 * Send files to an address, where several become one; throws the Problem that says why they were not taken. ``progress`` is told how
 * much of them is there (0 to 1; then they are read); ``until`` stops it.
 */
export async function upload<T>(
  address: string,
  files: File[],
  progress: (share: number) => void = () => {},
  until?: AbortSignal,
): Promise<T> {
  const { largest } = await loadOffers();
  const most = largest[address.split("/").at(-1) ?? ""];
  const size = files.reduce((sum, file) => sum + file.size, 0);
  if (most && size > most)
    throw new Problem(
      413,
      "too-large",
      `${files.length > 1 ? "They are" : `${files[0]?.name} is`} larger than ${megabytes(most)}, the most that is taken here.`,
    );
  if (files.length > MOST_FILES)
    throw new Problem(
      413,
      "too-many",
      `Up to ${MOST_FILES} files are taken at once, and these are ${files.length}; bring them as one ZIP.`,
    );
  const body = new FormData();
  for (const file of files) body.append("file", file);
  // Where each lay in a folder, for what is made of all of them.
  if (files.length <= MOST_PLACES && files.some((file) => placeOf(file).includes("/")))
    for (const file of files) body.append("place", placeOf(file));
  return new Promise<T>((done, failed) => {
    // The newer way to ask does not tell how much was sent.
    const request = new XMLHttpRequest();
    request.open("POST", address);
    request.setRequestHeader("X-CSRFToken", csrfToken());
    request.upload.onprogress = (event) => progress(event.lengthComputable ? event.loaded / event.total : 0);
    request.onload = () => {
      const answer = new Response(request.responseText, { status: request.status });
      if (answer.ok) answer.json().then((found) => done(found as T), failed);
      else void problemOf(answer).then(failed);
    };
    request.onerror = () =>
      failed(new Problem(0, "offline", "The server cannot be reached; the file was not sent. Try once more."));
    request.onabort = () => failed(new Problem(0, "stopped", "Stopped; nothing was kept of it."));
    until?.addEventListener("abort", () => request.abort());
    request.send(body);
  });
}

/** Files of which the server hears where they lay. */
const MOST_PLACES = 500;
/** Where files lay in what was dropped; a choice of a folder tells it itself. */
const places = new WeakMap<File, string>();
/** Where a file lay in the folder that it came in, with its name. */
export function placeOf(file: File): string {
  return places.get(file) ?? (file.webkitRelativePath || file.name);
}

/** The files of what was dropped, folders opened. */
export async function filesOf(dropped: DataTransfer): Promise<File[]> {
  const entries = [...dropped.items].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  if (!entries.some((entry) => entry.isDirectory)) return [...dropped.files];
  const found: File[] = [];
  async function open(entry: FileSystemEntry): Promise<void> {
    if (entry.isFile) {
      const file = await new Promise<File>((done, failed) => (entry as FileSystemFileEntry).file(done, failed));
      places.set(file, entry.fullPath.replace(/^\//, ""));
      found.push(file);
      return;
    }
    const reader = (entry as FileSystemDirectoryEntry).createReader();
    // A folder is told in parts, until there are no more.
    for (;;) {
      const part = await new Promise<FileSystemEntry[]>((done, failed) => reader.readEntries(done, failed));
      if (!part.length) return;
      for (const one of part) await open(one);
    }
  }
  for (const entry of entries) await open(entry);
  return found.filter((file) => !file.name.startsWith("."));
}

/** Whether several files become one of a kind that is made of files with such endings. */
export function gathered(files: File[], endings: string[]): boolean {
  return files.length > 1 && files.every((file) => endings.some((one) => file.name.toLowerCase().endsWith(one)));
}
