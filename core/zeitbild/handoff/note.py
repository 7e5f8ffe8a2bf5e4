"""What a receiver is told of a form, in words."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from zeitbild.handoff.writing import Order

#: How most files are encoded.
_ENCODED = "sRGB-encoded"


@dataclass(frozen=True, slots=True)
class Told:
    """A form as its receiver is told of it: what was ordered, what its paths in the package begin with, and its manifest."""

    order: Order
    ahead: str
    manifest: dict[str, Any]


def colour_note(order: Order) -> str:
    """What a receiver must know of colour and alpha."""
    alpha, form = order.alpha, order.recipe.format
    colour = order.colour
    if not form.ends_at_white:
        return f"Colour is premultiplied (associated) and {colour}: import it as it is."
    encoded = f"It is encoded as {colour}" if colour.startswith(("Gamma", "Linear", "Rec")) else f"It is {_ENCODED}"
    if alpha == "none":
        ground = order.options.get("ground") or "what is behind it"
        return f"There is no alpha: what is clear lies over {ground}. {encoded}."
    if alpha == "hard":
        return f"A pixel is there or not, with its own colour. {encoded}."
    if alpha == "premultiplied":
        return (
            "Colour is premultiplied (associated) with alpha, after it was encoded: tell your program so, over black. "
            f"{encoded}, and black where alpha is zero."
        )
    under = "the colour of the nearest edge" if order.options.get("under") == "bled" else "black"
    return (
        "Colour is straight (unassociated): do not divide or multiply it by alpha on import. "
        f"{encoded}, and {under} where alpha is zero."
    )


def _spoken(entry: dict[str, Any]) -> list[str]:
    """What a receiver should know of a pass."""
    lines = []
    code = entry["code"]
    beyond = entry.get("light_beyond_alpha", {})
    if beyond.get("pixels") and beyond["kept_by"] != "the file":
        held = (
            "holds; their alpha is raised to hold it."
            if beyond["kept_by"] == "alpha raised"
            else "holds; it is clipped there."
        )
        lines.append(
            f"{code}: {beyond['pixels']} pixels in {beyond['files']} files gave more light than their alpha {held}"
        )
    if entry["name"] == "matte":
        lines.append(f"{code}: the alpha alone, as grey values that are not encoded.")
    elif entry["role"] == "coverage":
        lines.append(f"{code}: {_small(entry['what'])}, as grey values that are not encoded.")
    elif entry["role"] == "light":
        lines.append(f"{code}: {_small(entry['what'])}; its alpha is that of beauty.")
    elif entry["role"] == "colour" and entry["name"] != "beauty":
        lines.append(f"{code}: {_small(entry['what'])}.")
    elif entry["role"] == "depth":
        reach = f" White is {entry['near']:.1f} units away, black {entry['far']:.1f}." if "near" in entry else ""
        lines.append(f"{code}: distance from the camera; data, not to be colour managed.{reach}")
    elif entry["role"] == "data":
        lines.append(f"{code}: {_small(entry['what'])}; data, not to be colour managed.")
        for channel in entry["channels"]:
            if isinstance(channel, dict):
                lines.append(f"    {channel['name']}: black is {channel['low']:g}, full is {channel['high']:g}.")
    elif entry["role"] == "identity":
        lines.append(f"{code}: {_small(entry['what'])}; the header of each file names them.")
    return lines


def _small(text: str) -> str:
    return text[:1].lower() + text[1:]


def _around(overscan: int) -> list[str]:
    if not overscan:
        return []
    return [
        f"{overscan} more pixels were rendered around it on each side: they stand in the data window of each file, outside of its",
        "display window, and are there for moving, blurring or correcting the picture.",
    ]


def _at_another_rate(manifest: dict[str, Any]) -> list[str]:
    """How files are numbered that are shown at another rate than the shot's."""
    frames = manifest["frames"]
    if "numbers" not in frames:
        return []
    rate = manifest["conformed"]["from"]["rate"]
    return [
        f"These are frames {frames['set']} of a piece of {rate} frames a second, dropped or repeated for another rate, none blended, and",
        "numbered anew, one by one; manifest.json says which frame each file shows.",
    ]


def _heard(manifest: dict[str, Any]) -> list[str]:
    sound = manifest.get("sound")
    if sound is None:
        return []
    begins, ends = f"frame {sound['begins_with_frame']}", f"the end of frame {sound['ends_with_frame']}"
    if "numbers" in manifest["frames"]:
        begins, ends = "the first file", f"{ends} of the piece as it was animated"
    return [
        "",
        f"Its sound is {sound['path']}: {sound['rate']} samples a second, {sound['bits']} bits, stereo. It begins with {begins}",
        f"and ends with {ends}, to the sample ({sound['samples']} samples).",
        *([f"{sound['beyond_full']} samples were louder than full and are cut off."] if sound["beyond_full"] else []),
    ]


def receiver_text(manifest: dict[str, Any], order: Order) -> str:
    """A short text for whoever receives the package."""
    rate, frames = manifest["rate"], manifest["frames"]
    own = frames.get("numbers", frames)
    spoken = f"{rate['frames']}/{rate['seconds']}" if rate["seconds"] != 1 else str(rate["frames"])
    lines = [
        f"{manifest['shot']} {manifest['title']}, version {manifest['version']}",
        "",
        *_at_another_rate(manifest),
        f"Frames {own['set']} ({own['count']}), {spoken} frames a second, "
        + (
            "all of them in each file, in the order"
            if frames["in_a_file"] == "all"
            else "one image for each frame, in the order"
        ),
        "of their numbers."
        + (" The piece is a cycle: after the last frame comes the first." if frames["cycle"] else ""),
        *(
            [f"The piece itself is frames {own['piece']}; what is before and after it are handles, to cut or fade in."]
            if "piece" in own
            else []
        ),
        f"{manifest['raster']['width']} x {manifest['raster']['height']} square pixels.",
        *_around(manifest["raster"].get("overscan", 0)),
        "",
        f"{order.recipe.note} {colour_note(order)}",
    ]
    if len(manifest["layers"]) > 1 or any(layer.get("note") for layer in manifest["layers"]):
        lines += ["", "Layers, from the bottom:"]
        for layer in manifest["layers"]:
            held = layer["members"].get("hold-out")
            lines.append(
                f"  {layer['name']}: {layer['title']}"
                + (f"; cut out by {', '.join(held)}" if held else "")
                + (f" (frames {layer['frames']})" if "frames" in layer else "")
            )
            lines += [f"    {line}" for line in layer.get("note", "").splitlines()]
    for proof in manifest["proofs"]["layers_rejoin"]:
        names = ", ".join(proof["layers"])
        if proof["holds"]:
            lines.append(
                f"Laid over one another ({names}; plus where one is cut out by the other, else over) they give the whole "
                f"picture; the largest difference is {proof['largest_difference'] * 255:.2f} of 255."
            )
        else:
            lines.append(
                f"Laid over one another ({names}) they do not give the picture of the whole set: frame {proof['frame']} is "
                f"off by {proof['largest_difference'] * 255:.1f} of 255 at {proof['x']}, {proof['y']}."
            )
    lines.append("")
    for entry in manifest["passes"]:
        lines += _spoken(entry)
    for one in manifest["adds_up"]:
        if one["whole"]:
            lines.append(f"{one['layer']}: {one['whole']} = {' + '.join(one['parts'])} ({one['how']}).")
    lines += _heard(manifest)
    if manifest["backdrop"] == "clear":
        lines += ["", "Nothing is behind the element. Players that show black there are not wrong; they ignore alpha."]
    lines += [
        "",
        "Every file was read back from disk and compared with the rendered frame; manifest.json has the checksums.",
        "",
    ]
    return "\n".join(lines)
