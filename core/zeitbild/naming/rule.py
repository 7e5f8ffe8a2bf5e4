"""A file-name rule: literal text and fields in braces, e.g. ``{shot}_{pass}/{shot}.{frame:04}.{ext}``.

Fields may carry Python format specifications of the form ``0N`` (digits, filled with zeros) for numbers.
"""

from __future__ import annotations

import re
import string
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
_WIDTH = re.compile(r"^0?([1-9])$")
#: Characters that at least one common file system refuses in names (common practice), and control characters.
_REFUSED = re.compile(r'[<>:"\\|?*\x00-\x1f\x7f]')
#: Device names that one family of systems reserves, with any ending (common practice).
_RESERVED = re.compile(r"^(con|prn|aux|nul|com[0-9]|lpt[0-9])(\.|$)", re.IGNORECASE)
_MAX_NAME, _MAX_PATH = 120, 240


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
            bad = _REFUSED.search(literal)
            if bad:
                raise NamingError(f"the character {bad[0]!r} is refused by some file systems; leave it out", "naming")
            if field is None:
                continue
            if field not in FIELDS:
                raise NamingError(
                    f"unknown field {{{field}}}; fields are {', '.join(f'{{{name}}}' for name in FIELDS)}", "naming"
                )
            used.add(field)
            match = _WIDTH.match(spec or "")
            if conversion or (spec and (field not in _NUMBERS or not match)):
                allowed = "only a number of digits such as 04" if field in _NUMBERS else "no format"
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
            if len(segment) > _MAX_NAME:
                raise NamingError(
                    f"a name of {len(segment)} characters is too long; keep each below {_MAX_NAME}", "naming"
                )
        if len(path) > _MAX_PATH:
            raise NamingError(f"a path of {len(path)} characters is too long; keep it below {_MAX_PATH}", "naming")
        return path
