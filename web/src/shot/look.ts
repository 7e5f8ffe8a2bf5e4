/** Addresses of rendered frames. */

export interface Look {
  ground?: { kind: string; colour: string; colour_to: string };
  what?: string;
  blend?: "linear" | "encoded";
  kind?: "jpeg" | "png";
  /** With what was rendered around the raster. */
  overscan?: boolean;
}

export function lookUrl(run: number, layer: string, frame: number, look: Look): string {
  const query = new URLSearchParams();
  if (look.ground) {
    query.set("ground", look.ground.kind);
    query.set("colour", look.ground.colour);
    query.set("colour_to", look.ground.colour_to);
  }
  if (look.what) query.set("what", look.what);
  if (look.blend) query.set("blend", look.blend);
  if (look.overscan) query.set("overscan", "true");
  if (look.kind) query.set("kind", look.kind);
  return `/api/runs/${run}/cells/${encodeURIComponent(layer)}/${frame}/picture?${query.toString()}`;
}
