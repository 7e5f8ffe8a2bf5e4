"""The open fonts that ship with Zeitbild; their licence texts lie in ``licences``."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

_FOLDER = Path(__file__).parent


@dataclass(frozen=True, slots=True)
class ShippedFont:
    """One shipped font: key used in documents, name for people, character, file and licence file."""

    key: str
    title: str
    character: str
    file: str
    licence: str

    @property
    def path(self) -> Path:
        """The font file."""
        return _FOLDER / self.file

    @property
    def licence_path(self) -> Path:
        """The text of its licence."""
        return _FOLDER / "licences" / self.licence


SHIPPED: dict[str, ShippedFont] = {
    font.key: font
    for font in (
        ShippedFont("lato-black", "Lato Black", "heavy sans", "Lato-Black.ttf", "lato.txt"),
        ShippedFont(
            "league-spartan", "League Spartan Bold", "geometric sans", "LeagueSpartan-Bold.otf", "league-spartan.txt"
        ),
        ShippedFont("comfortaa", "Comfortaa Bold", "rounded", "Comfortaa-Bold.ttf", "comfortaa.txt"),
        ShippedFont("bebas-neue", "Bebas Neue Bold", "condensed capitals", "BebasNeue-Bold.otf", "bebas-neue.txt"),
        ShippedFont("roboto-slab", "Roboto Slab Bold", "slab serif", "RobotoSlab-Bold.otf", "roboto-slab.txt"),
        ShippedFont("eb-garamond", "EB Garamond", "book serif", "EBGaramond12-Regular.otf", "ebgaramond.txt"),
        ShippedFont(
            "dancing-script", "Dancing Script Bold", "script hand", "DancingScript-Bold.otf", "dancingscript.txt"
        ),
        ShippedFont("lobster-two", "Lobster Two Bold Italic", "brush script", "Lobster-Regular.otf", "lobster.txt"),
        ShippedFont("amiri", "Amiri Bold", "Arabic and Latin", "Amiri-Bold.ttf", "hosny-amiri.txt"),
        ShippedFont(
            "noto-serif-georgian",
            "Noto Serif Georgian Bold",
            "Georgian",
            "NotoSerifGeorgian-Bold.ttf",
            "noto-serif-georgian.txt",
        ),
    )
}
