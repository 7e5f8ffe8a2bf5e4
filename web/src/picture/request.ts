import { csrfToken, problemOf } from "@/api/client";
import type { ShotDocument } from "@/shot/document";

/** What a picture of an unsaved document is asked for as. */
export interface PictureRequest {
  document: ShotDocument;
  frame: number;
  width: number;
  height: number;
  quality: "rough" | "check" | "final";
  kind: "jpeg" | "png";
  ground: object;
  what?: string;
  /** The whole set, a layer by its name, or all of them laid over one another ("*"). */
  layer?: string;
  /** Neighbouring frames shown through it. */
  ghosts?: Ghosts | null;
  /** Whether what moves is blurred. */
  blurred?: boolean;
  /** Whether shadows, occlusion and mirrors are looked for. */
  rays?: boolean;
  /** Of what is asked for in one line only the newest counts: the server does not begin what waits when a newer one comes. */
  line?: string;
}

export interface Ghosts {
  before: number;
  after: number;
  every: number;
  strength: number;
}

/** The height that keeps a raster's shape at a width. */
export function heightFor(width: number, raster: { width: number; height: number }): number {
  return Math.max(2, Math.round((width * raster.height) / raster.width));
}

/** How a picture is asked for: the address and what ``fetch`` is told beside it. */
export function asked(shot: number, request: PictureRequest): [url: string, init: RequestInit] {
  const headers = { "Content-Type": "application/json", "X-CSRFToken": csrfToken() };
  return [`/api/shots/${shot}/picture`, { method: "POST", headers, body: JSON.stringify(request) }];
}

/** An encoded picture from the server; throws the Problem that says why there is none. */
export async function requestPicture(shot: number, request: PictureRequest, signal?: AbortSignal): Promise<Blob> {
  const [url, init] = asked(shot, request);
  const response = await fetch(url, { ...init, signal: signal ?? null });
  if (!response.ok) throw await problemOf(response);
  return response.blob();
}
