/** The cameras of a shot: the one that every shot has, and more under names; one of them is in view. */
import type { Camera, ShotDocument } from "./document";

export const MAIN = "Main";

/** Where the camera in view stands in the document. */
export function cameraPath(shot: ShotDocument): string {
  const at = shot.cameras.findIndex((one) => one.name === shot.view);
  return at < 0 ? "camera" : `cameras.${at}.camera`;
}

export function cameraInView(shot: ShotDocument): Camera {
  return shot.cameras.find((one) => one.name === shot.view)?.camera ?? shot.camera;
}

export function cameraNames(shot: ShotDocument): string[] {
  return [MAIN, ...shot.cameras.map((one) => one.name)];
}

/** Edits that add a camera where the one in view stands, and look through it. */
export function addCamera(shot: ShotDocument): { name: string; edits: Record<string, unknown> } {
  const taken = new Set(cameraNames(shot).map((name) => name.toLowerCase()));
  let number = 2;
  while (taken.has(`camera ${number}`)) number += 1;
  const name = `Camera ${number}`;
  return { name, edits: { cameras: [...shot.cameras, { name, camera: cameraInView(shot) }], view: name } };
}

/** Edits that rename a camera wherever it is named. */
export function renameCamera(shot: ShotDocument, from: string, to: string): Record<string, unknown> {
  return {
    cameras: shot.cameras.map((one) => (one.name === from ? { ...one, name: to } : one)),
    view: shot.view === from ? to : shot.view,
    layers: shot.layers.map((layer) => (layer.camera === from ? { ...layer, camera: to } : layer)),
  };
}

/** Edits that remove a camera; layers that named it go through the one in view. */
export function removeCamera(shot: ShotDocument, name: string): Record<string, unknown> {
  return {
    cameras: shot.cameras.filter((one) => one.name !== name),
    view: shot.view === name ? MAIN : shot.view,
    layers: shot.layers.map((layer) => (layer.camera === name ? { ...layer, camera: "" } : layer)),
  };
}
