/** What dragging on the picture moves: the camera, or the light that is selected. */

import { cameraInView, cameraPath } from "@/shot/cameras";
import type { Light, ShotDocument, Triple } from "@/shot/document";

import { type Aim, dolly, orbit, pan, unitsPerPixel } from "./orbit";

/** Values to set, by dotted path of the document. */
export type Changes = Record<string, unknown>;

/** Answers of a thing to a hand: ``turn`` by a drag, ``slide`` by a drag with Shift, ``approach`` by the wheel. */
export interface Handle {
  name: string;
  turn(shot: ShotDocument, dx: number, dy: number): Changes;
  slide(shot: ShotDocument, dx: number, dy: number, width: number): Changes;
  approach(shot: ShotDocument, amount: number): Changes;
}

const DEGREES_PER_PIXEL = 0.4;

export const cameraHandle: Handle = {
  name: "Camera",
  turn: (shot, dx, dy) => ({ [cameraPath(shot)]: { ...cameraInView(shot), ...orbit(cameraInView(shot), dx, dy) } }),
  slide(shot, dx, dy, width) {
    const camera = cameraInView(shot);
    return { [cameraPath(shot)]: { ...camera, ...pan(camera, dx, dy, unitsPerPixel(camera, width)) } };
  },
  approach(shot, amount) {
    const camera = cameraInView(shot);
    // An orthographic camera sees no larger from nearer: its view gets narrower instead.
    if (camera.projection === "orthographic") {
      const span = Math.round(Math.max(0.01, camera.span * Math.exp(amount * 0.001)) * 100) / 100;
      return { [cameraPath(shot)]: { ...camera, span } };
    }
    return { [cameraPath(shot)]: { ...camera, ...dolly(camera, amount) } };
  },
};

function lightOf(shot: ShotDocument, path: string): Light | undefined {
  return shot.lights[Number(path.split(".")[1])];
}

/** A light far away follows the hand across the sky. */
function skyHandle(path: string, name: string): Handle {
  return {
    name,
    turn(shot, dx, dy) {
      const light = lightOf(shot, path);
      if (!light) return {};
      const azimuth = (light.azimuth as number) + dx * DEGREES_PER_PIXEL;
      const elevation = (light.elevation as number) - dy * DEGREES_PER_PIXEL;
      return {
        [`${path}.azimuth`]: Math.round((((azimuth + 540) % 360) - 180) * 10) / 10,
        [`${path}.elevation`]: Math.round(Math.max(-90, Math.min(90, elevation)) * 10) / 10,
      };
    },
    slide: () => ({}),
    approach: () => ({}),
  };
}

/** A light that stands in the set goes round what it aims at, or round what the camera looks at. */
function standingHandle(path: string, name: string): Handle {
  function aimOf(shot: ShotDocument): Aim | null {
    const light = lightOf(shot, path);
    if (!light) return null;
    return {
      position: light.position as Triple,
      look_at: (light.aims_at as Triple | undefined) ?? cameraInView(shot).look_at,
    };
  }
  return {
    name,
    turn(shot, dx, dy) {
      const aim = aimOf(shot);
      return aim ? { [`${path}.position`]: orbit(aim, -dx, -dy).position } : {};
    },
    slide(shot, dx, dy, width) {
      const light = lightOf(shot, path);
      if (!light) return {};
      const before = cameraInView(shot).look_at;
      // The picture's own step, turned round: the light follows the hand where the camera goes against it.
      const after = pan(cameraInView(shot), -dx, -dy, unitsPerPixel(cameraInView(shot), width)).look_at;
      const moved = (a: Triple) =>
        a.map((one, k) => Math.round((one + (after[k] ?? 0) - (before[k] ?? 0)) * 100) / 100) as Triple;
      const changes: Changes = { [`${path}.position`]: moved(light.position as Triple) };
      if (light.aims_at) changes[`${path}.aims_at`] = moved(light.aims_at as Triple);
      return changes;
    },
    approach(shot, amount) {
      const aim = aimOf(shot);
      return aim ? { [`${path}.position`]: dolly(aim, amount).position } : {};
    },
  };
}

/** The handle of a light, or null if there is nothing on it to drag. */
export function lightHandle(path: string, light: Light): Handle | null {
  if (light.azimuth !== undefined) return skyHandle(path, light.name);
  if (light.position !== undefined) return standingHandle(path, light.name);
  return null;
}
