import { onBeforeUnmount, type Ref, watch } from "vue";

import { useOffers } from "@/api/offers";
import { gathered } from "@/api/upload";
import { schemaOfKind } from "@/controls/fields";
import { type Bundle, bundlesOf } from "@/files/bundles";
import { type Brought, useBringing } from "@/files/useBringing";
import { useDrops } from "@/files/useDrops";
import { addSound } from "@/shot/sounds";
import { useShot } from "@/shot/store";

import { addElement, freeName } from "./build/elements";

/** Pictures of all directions. */
const SKY = /\.(hdr|exr|png|jpe?g|tiff?|tga|webp|avif|bmp)$/i;

/**
 * What becomes of files that are dropped on a desk. One, or what makes one, goes to what is selected (a path in the document) if that
 * shows its kind; else it becomes an element of its own, and so does each of several. Sounds go into the shot, fonts into the project.
 */
export function useIncoming(selected: Ref<string>, select: (path: string) => void) {
  const shot = useShot();
  const offers = useOffers();
  const bringing = useBringing(() => shot.meta?.project_id ?? 0);
  // What comes later would go into whatever shot is open then.
  watch(() => shot.id, bringing.stop);
  onBeforeUnmount(bringing.stop);

  /** The fields of a kind of element that name files, with what the library calls these; fonts among them. */
  function fieldsOf(kind: string): { field: string; title: string; files: string }[] {
    const fields = Object.entries(schemaOfKind(offers.value?.schema ?? {}, kind).properties ?? {});
    return fields.flatMap(([name, field]) => {
      const files = field["x-widget"] === "font" ? "fonts" : field["x-widget"] === "file" ? field["x-files"] : "";
      return files ? [{ field: name, title: field.title ?? name, files }] : [];
    });
  }
  /** Things that what is selected shows itself: where they go, and what all files make there. */
  function meantHere(files: File[], bundles: Bundle[]): { bundle: Bundle; took: (file: Brought) => void } | null {
    const path = selected.value;
    const [part, at] = path.split(".");
    const element = part === "elements" ? shot.draft?.elements[Number(at)] : undefined;
    const own = element ? fieldsOf(element.kind) : [];
    const [only] = bundles;
    const [first] = files;
    if (!only || !first) return null;
    const whole = own.find((one) => gathered(files, offers.value?.library[one.files]?.gathers ?? []));
    const found = whole ?? (bundles.length === 1 ? own.find((one) => one.files === only.kind) : undefined);
    if (found && element) {
      const bundle = whole ? { files, kind: whole.files, name: only.name } : only;
      const took = ({ key }: Brought) => {
        // It may stand elsewhere in the list by now, or be gone; then the file is in the library.
        const now = shot.draft?.elements.findIndex((one) => one.id === element.id) ?? -1;
        if (now >= 0) shot.edit(`elements.${now}.${found.field}`, key, true, found.title);
      };
      return { bundle, took };
    }
    if (path !== "environment" || files.length > 1 || !SKY.test(first.name)) return null;
    const changes = (key: string) => ({ "environment.source": "picture", "environment.picture": key });
    return {
      bundle: { files, kind: "skies", name: only.name },
      took: ({ key }) => shot.editMany(changes(key), "Picture of the surroundings"),
    };
  }
  /** Put what has no place yet into the shot; told in a sentence if that is not seen. */
  function place(bundle: Bundle, { key, title }: Brought): string {
    if (bundle.kind === "fonts") return `${title} is among the fonts of this project now.`;
    if (bundle.kind === "sounds") {
      addSound(shot, { file: key, name: bundle.name.slice(0, 80) });
      return `${title} is heard from frame ${shot.frame} on; sounds lie on the Time desk.`;
    }
    for (const kind of offers.value?.element_kinds ?? []) {
      const found = fieldsOf(kind.name).find((one) => one.files === bundle.kind);
      if (!found) continue;
      const name = freeName(shot, bundle.name.slice(0, 80) || kind.title);
      select(addElement(shot, kind, { name, [found.field]: key }));
      return "";
    }
    return `${title} is in the library of this project now.`;
  }
  useDrops(async (files) => {
    if (shot.looking) return;
    const before = shot.id;
    const bundles = await bundlesOf(files, offers.value?.library ?? {});
    if (shot.id !== before) return;
    const here = meantHere(files, bundles);
    if (!here) return bringing.bring(bundles, place);
    await bringing.bring([here.bundle], (_, file) => {
      here.took(file);
      return "";
    });
  });
  return bringing;
}
