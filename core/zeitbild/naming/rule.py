"""A file-name rule: literal text and fields in braces, e.g. ``{shot}_{pass}/{shot}.{frame:04}.{ext}``.

Fields may carry Python format specifications of the form ``0N`` (digits, filled with zeros) for numbers.
"""

from __future__ import annotations

import re
import string
import unicodedata
from dataclasses import dataclass

from zeitbild.errors import NamingError

FIELDS = {
    "project": "project code",
    "shot": "shot code",
    "layer": "layer name",
    "pass": "pass name",
    "version": "number of the hand-off, e.g. {version:03}",
    "frame": "frame number, e.g. {frame:04}",
    "ext": "ending of the format",
}
_NUMBERS = {"version", "frame"}
_WIDTH = re.compile(r"^0([1-9])$")
#: Characters that at least one common file system refuses in names (common practice), and control characters.
_REFUSED = re.compile(r'[<>:"\\|?*\x00-\x1f\x7f]')
#: Device names that one family of systems reserves, with any ending (common practice).
#: A space before the ending does not help, and superscript digits count as digits there.
_RESERVED = re.compile(r"^(con|prn|aux|nul|conin\$|conout\$|com[0-9¹²³]|lpt[0-9¹²³])\s*(\.|$)", re.IGNORECASE)
#: Names that a hand-off gives files of its own.
_OWN = ("manifest.json", "readme.txt", "readme.html", "play.html", "exposure-sheet.pdf", "timeline.otio", "sha256sums")
#: Characters that look like a slash or a dot, or another character where none should be.
_ALIKE = "\u2044\u2215\u29f8\uff0f\u29f5\u29f9\ufe68\uff3c\u2024\ufe52\uff0e\u3002\uff61"
#: Kinds of characters that show nothing, turn what follows round, or end a line: Unicode's categories of control and format
#: characters, separators of lines and paragraphs, surrogates, private and unassigned ones.
_UNSEEN = ("Cc", "Cf", "Zl", "Zp", "Cs", "Co", "Cn")
#: Bytes, since that is what file systems count.
_MAX_NAME, _MAX_PATH = 120, 240


def _refused(text: str) -> str | None:
    """What is wrong with a character of a name, or None."""
    for character in text:
        if _REFUSED.match(character):
            return f"the character {character!r} is refused by some file systems; leave it out"
        name = unicodedata.name(character, f"U+{ord(character):04X}").lower()
        if character in _ALIKE:
            return f"{character!r} ({name}) only looks like a slash or a dot; write the real one or leave it out"
        if unicodedata.category(character) in _UNSEEN:
            return f"there is a character that does not show ({name}); leave it out"
        if unicodedata.category(character) == "Zs" and character != " ":
            return f"there is a space that is not the usual one ({name}); write a plain space or leave it out"
    return None


@dataclass(frozen=True, slots=True)
class NamingRule:
    """A rule that has been checked for everything that does not depend on a shot."""

    text: str
    frame_digits: int

    @classmethod
    def parse(cls, text: str) -> NamingRule:
        """Check a rule; NamingError says what is wrong with it."""
        try:
            parts = list(string.Formatter().parse(text))
        except ValueError as error:
            raise NamingError(
                f"the braces do not match ({error}); write {{{{ for a brace in a name", "naming"
            ) from None
        digits: int | None = None
        used = set()
        for literal, field, spec, conversion in parts:
            bad = _refused(literal)
            if bad:
                raise NamingError(bad, "naming")
            if field is None:
                continue
            if field not in FIELDS:
                raise NamingError(
                    f"unknown field {{{field}}}; fields are {', '.join(f'{{{name}}}' for name in FIELDS)}", "naming"
                )
            used.add(field)
            match = _WIDTH.match(spec or "")
            if conversion or (spec and (field not in _NUMBERS or not match)):
                allowed = "a number of digits that begins with 0, such as 04" if field in _NUMBERS else "no format"
                raise NamingError(f"{{{field}:{spec}}}: this field takes {allowed}", "naming")
            if field == "frame":
                digits = max(digits or 0, int(match[1]) if match else 1)
        if digits is None:
            raise NamingError(
                "the rule has no {frame} field, so all frames would get one name; add {frame:04}", "naming"
            )
        if not text.endswith(".{ext}"):
            raise NamingError("the rule must end in .{ext}, so that every system knows the kind of file", "naming")
        cls._check_path(text)
        return cls(text, digits)

    def without_frame(self) -> NamingRule:
        """The rule for files that hold all frames: what tells frames apart is left out, with what stands before it."""
        text, begins = "", False
        for literal, field, spec, _ in string.Formatter().parse(self.text):
            own = literal.replace("{", "{{").replace("}", "}}")
            # Where it stood at the beginning of a name, what comes behind it goes with it.
            text += own.lstrip(" _-") if begins else own
            begins = False
            if field == "frame":
                text = text.rstrip(" ._-")
                begins = not text or text.endswith("/")
            elif field is not None:
                text += f"{{{field}:{spec}}}" if spec else f"{{{field}}}"
        # A name that was nothing but its frame needs another; a folder that was is not needed.
        *folders, name = text.split("/")
        folders = [folder for folder in folders if folder]
        if name == ".{ext}":
            name = "{shot}_{layer}_{pass}.{ext}"
        text = "/".join([*folders, name])
        self._check_path(text)
        return NamingRule(text, 1)

    @staticmethod
    def _check_path(text: str) -> None:
        if text.startswith("/") or text.startswith("~"):
            raise NamingError("the rule must stay inside its folder: it may not start with / or ~", "naming")
        for segment in text.split("/"):
            if segment == "..":
                raise NamingError("the rule must stay inside its folder: .. is not allowed", "naming")
            if segment in ("", "."):
                raise NamingError("the rule has an empty folder name (two slashes, or a lone dot)", "naming")
            if segment[-1] in " ." or segment[0] == " ":
                raise NamingError(
                    f"{segment!r} starts or ends with a space or a dot, which some systems cut away", "naming"
                )
            if segment.startswith("."):
                raise NamingError(f"{segment!r} starts with a dot and would be hidden on many systems", "naming")

    def name(self, *, project: str, shot: str, layer: str, pass_name: str, version: int, frame: int, ext: str) -> str:
        """The relative path of one file, with ``/`` between folders; NamingError if it cannot stand on every system."""
        if frame < 0:
            raise NamingError(f"frame {frame} stands before 0; names with a minus sign do not sort", "naming")
        if len(str(frame)) > self.frame_digits > 1:
            raise NamingError(
                f"frame {frame} needs more than {self.frame_digits} digits, so names would not sort; "
                f"write {{frame:0{len(str(frame))}}}",
                "naming",
            )
        path = self.text.format(
            **{
                "project": project,
                "shot": shot,
                "layer": layer,
                "pass": pass_name,
                "version": version,
                "frame": frame,
                "ext": ext,
            }
        )
        for segment in path.split("/"):
            if _RESERVED.match(segment):
                raise NamingError(f"{segment!r} is a reserved name on some systems; choose another", "naming")
            if segment.casefold() in _OWN:
                raise NamingError(
                    f"{segment!r} is what a hand-off calls a file of its own; choose another name", "naming"
                )
            if len(segment.encode()) > _MAX_NAME:
                raise NamingError(
                    f"a name of {len(segment.encode())} bytes is too long; keep each below {_MAX_NAME}", "naming"
                )
        if len(path.encode()) > _MAX_PATH:
            raise NamingError(f"a path of {len(path.encode())} bytes is too long; keep it below {_MAX_PATH}", "naming")
        return path
