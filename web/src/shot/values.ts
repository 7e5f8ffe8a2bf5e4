import { answer, api, Problem, type Schemas } from "@/api/client";

import type { ShotDocument } from "./document";

/**
 * Values of an unsaved document that move, at frames: of some tracks, or of all. Null if the document does not hold, which those say who
 * examine it.
 */
export async function movingValues(
  shot: number,
  document: ShotDocument,
  frames: number[],
  tracks: string[] = [],
): Promise<Schemas["TrackOut"][] | null> {
  try {
    return await answer(
      api.POST("/api/shots/{shot_id}/values", {
        params: { path: { shot_id: shot } },
        body: { document: document as unknown as Record<string, never>, frames, tracks },
      }),
    );
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    return null;
  }
}
