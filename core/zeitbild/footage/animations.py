"""Animations in one file that browsers play: GIF, APNG, animated WebP and AVIF. Runs in a reading process."""

from __future__ import annotations

import itertools
import math
import warnings
from fractions import Fraction
from pathlib import Path

import numpy as np
from PIL import Image, ImageSequence

from zeitbild.errors import PictureError
from zeitbild.footage.plain import MAX_PICTURES
from zeitbild.stills import Raw, check_size, in_srgb, said_by

#: Players take so long (ms) for what says that it lasts no time at all.
_NO_TIME = 100
#: Lasting times that differ by so much (ms) are meant to be one: GIF counts in hundredths.
_EVEN = 10


class Animation:
    """An animation, opened; its pictures may last unequally, then those that it gives are as short as the shortest part that all are made of."""

    def __init__(self, path: Path, label: str) -> None:
        warnings.simplefilter("ignore")
        self.label, self._path = label, path
        self.notes: list[str] = []
        try:
            self._image = Image.open(path)
            check_size(*self._image.size, label)
            self._said = said_by(self._image)
            lasting = []
            for frame in itertools.islice(ImageSequence.Iterator(self._image), MAX_PICTURES):
                frame.load()
                lasting.append(round(float(frame.info.get("duration") or _NO_TIME)))
        except PictureError:
            raise
        # Whatever its parsers meet.
        except Exception as error:
            raise PictureError(f"{label} is damaged or cut off: {error}") from error
        self.width, self.height = self._image.size
        self.shape = self.height / self.width
        if max(lasting) - min(lasting) <= _EVEN:
            self._of = list(range(len(lasting)))
            rate = Fraction(1000 * len(lasting), sum(lasting)).limit_denominator(1001)
        else:
            part = math.gcd(*lasting)
            self._of = [at for at, length in enumerate(lasting) for _ in range(length // part)]
            if len(self._of) > MAX_PICTURES:
                raise PictureError(f"{label} has more than {MAX_PICTURES:,} pictures when all last equally")
            rate = Fraction(1000, part)
            self.notes.append(
                f"its pictures last unequally: it is taken as {float(rate):g} a second, some of them repeated"
            )
        self.rate = rate
        self.count = len(self._of)

    def picture(self, number: int) -> Raw:
        """One of its pictures."""
        try:
            at = self._of[number]
            if at < self._image.tell():
                # Step by step, each loaded: parts are laid over one another.
                self._image.close()
                self._image = Image.open(self._path)
            while self._image.tell() < at:
                self._image.load()
                self._image.seek(self._image.tell() + 1)
            return in_srgb(Raw(np.asarray(self._image.convert("RGBA")), True, "straight"), self._said)
        # Whatever its parsers meet.
        except Exception as error:
            raise PictureError(f"picture {number + 1} of {self.label} is damaged: {error}") from error


def moves(path: Path) -> bool:
    """Whether a file that Pillow opens has more than one picture."""
    warnings.simplefilter("ignore")
    try:
        with Image.open(path) as image:
            return bool(getattr(image, "is_animated", False))
    # It is looked at again as a still, which says what is wrong.
    except Exception:
        return False
