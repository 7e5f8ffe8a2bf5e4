/** Files that come in together: which of them make one thing, and what kind of thing that is. */
import type { Offers } from "@/api/offers";
import { placeOf } from "@/api/upload";

/** Files of one thing: what the library calls its kind ("fonts" among them, empty if nothing here shows it), and a name for it. */
export interface Bundle {
  files: File[];
  kind: string;
  name: string;
}

/** What models name that stands outside of them. */
const COMPANION = /\.(mtl|bin|png|jpe?g|webp|avif|tga|bmp|tiff?|exr|hdr|ktx2)$/i;
const NAMES_OTHERS = /\.(gltf|glb|obj)$/i;
const MODEL = /\.(gltf|glb|obj|stl|ply)$/i;
const FONT = /\.(ttf|otf|ttc|otc|woff2?)$/i;
const NUMBERED = /^(.*?)(\d+)(\D*\.(?:png|jpe?g|tiff?|tga|exr|hdr|webp|avif|bmp))$/i;
/** Bytes of a model that are looked through for names. */
const LOOKED_THROUGH = 16_000_000;

/** What a model says: of a binary one only its description. */
async function textOf(file: File): Promise<string> {
  if (!/\.glb$/i.test(file.name)) return file.slice(0, LOOKED_THROUGH).text();
  // glTF 2.0, 4.4: twelve bytes, then the length of the description and its kind.
  const head = new DataView(await file.slice(0, 20).arrayBuffer());
  const length = head.byteLength < 20 ? 0 : head.getUint32(12, true);
  return file.slice(20, 20 + Math.min(length, LOOKED_THROUGH)).text();
}
function decoded(address: string): string {
  try {
    return decodeURIComponent(address);
  } catch {
    return address;
  }
}
/** The ends of lines, texts and addresses that name files, without folders, in small letters; before a name its line may say what it is for. */
function mentionsIn(text: string): string[] {
  const parts = new Set(text.split(/["'/\\\r\n?#]/).map((one) => one.trim()));
  return [...parts].filter((one) => COMPANION.test(one)).map((one) => decoded(one).toLowerCase());
}
/** A model with those of the files that it names, and what these name. */
async function withNamed(model: File, files: File[]): Promise<File[]> {
  const found = [model];
  for (const one of found) {
    if (one !== model && !/\.mtl$/i.test(one.name)) continue;
    const mentions = mentionsIn(await textOf(one));
    const isNamed = (name: string) => mentions.some((said) => said === name || said.endsWith(` ${name}`));
    found.push(...files.filter((other) => !found.includes(other) && isNamed(other.name.toLowerCase())));
  }
  return found;
}
/** Names of what is in a ZIP, by its list of contents (APPNOTE 4.3.12, 4.3.16); none if that cannot be read here. */
async function namesInZip(file: File): Promise<string[]> {
  const tail = await file.slice(Math.max(0, file.size - 66_000)).arrayBuffer();
  const view = new DataView(tail);
  let end = tail.byteLength - 22;
  while (end >= 0 && view.getUint32(end, true) !== 0x06054b50) end -= 1;
  if (end < 0) return [];
  const start = view.getUint32(end + 16, true);
  const list = await file.slice(start, start + view.getUint32(end + 12, true)).arrayBuffer();
  const entries = new DataView(list);
  const found: string[] = [];
  for (let at = 0; at + 46 <= list.byteLength && entries.getUint32(at, true) === 0x02014b50;) {
    const length = entries.getUint16(at + 28, true);
    found.push(new TextDecoder().decode(new Uint8Array(list, at + 46, Math.min(length, list.byteLength - at - 46))));
    at += 46 + length + entries.getUint16(at + 30, true) + entries.getUint16(at + 32, true);
  }
  return found;
}
/** The kind of the library that a file is of by its name, and a ZIP by what is in it. */
async function kindOf(file: File, library: Offers["library"]): Promise<string> {
  const name = file.name.toLowerCase();
  if (FONT.test(name)) return "fonts";
  if (name.endsWith(".zip")) return (await namesInZip(file)).some((one) => MODEL.test(one)) ? "models" : "footage";
  return Object.entries(library).find(([, one]) => one.suffixes.some((ending) => name.endsWith(ending)))?.[0] ?? "";
}
function stem(name: string) {
  return name.replace(/\.[^.]*$/, "");
}

/**
 * What files that came together make: each model with those that it names; numbered pictures of one name in one folder. All else stands by
 * itself.
 */
export async function bundlesOf(files: File[], library: Offers["library"]): Promise<Bundle[]> {
  const bundles: Bundle[] = [];
  const companions = files.filter((file) => COMPANION.test(file.name));
  const left = new Set(files);
  for (const model of files.filter((file) => NAMES_OTHERS.test(file.name))) {
    const own = await withNamed(model, companions);
    for (const file of own) left.delete(file);
    bundles.push({ files: own, kind: "models", name: stem(model.name) });
  }
  const groups = new Map<string, { files: File[]; before: string }>();
  for (const file of left) {
    const [, before, , after] = NUMBERED.exec(file.name) ?? [];
    const folder = placeOf(file).slice(0, -file.name.length);
    const key = before === undefined ? `${folder}${file.name}` : `${folder}${before}\n${after?.toLowerCase()}`;
    const group = groups.get(key) ?? { files: [], before: before ?? "" };
    group.files.push(file);
    groups.set(key, group);
  }
  for (const { files: own, before } of groups.values()) {
    const [first] = own;
    if (!first) continue;
    // Of numbered pictures what stands before their numbers.
    const shared = own.length > 1 ? before.replace(/[\s._-]+$/, "") : "";
    bundles.push({ files: own, kind: await kindOf(first, library), name: shared || stem(first.name) });
  }
  return bundles;
}
