"""Output layers: who is in one and how, through which camera, over what, and which passes are written of it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, StringConstraints, model_validator

from zeitbild.document.camera import CameraName
from zeitbild.document.picture import Backdrop, Samples
from zeitbild.errors import InputError
from zeitbild.snapshot.pixel_filter import FilterName
from zeitbild.timing.frames import parse_frames
from zeitbild.values import Code, Identifier, Part, Title, choice, number, wrong_at

#: What an element is in a layer: shown; hold-out: it hides what is behind it and is itself left out; unseen: only rays meet it, as
#: shadows, in mirrors and in corners; absent: not there.
Membership = Literal["shown", "hold-out", "unseen", "absent"]

#: How passes share files: each alone, those of a layer in one, or those of a whole frame.
Sharing = Literal["pass", "layer", "frame"]

MAX_LAYERS = 32
MAX_PASSES = 128
#: A pass by its name, or one of a family: ``light:`` and a group of lights, ``matte:`` and an element or its finish.
PassName = Annotated[str, StringConstraints(min_length=1, max_length=100)]


class Layer(Part):
    """One output layer and the passes written of it."""

    name: Code = Field(default="main", title="Code", description="Stands in file names.")
    title: Annotated[str, StringConstraints(max_length=120, strip_whitespace=True)] = Field(default="", title="Title")
    on: bool = Field(default=True, title="On", description="Off: runs and hand-offs leave it out.")
    passes: tuple[PassName, ...] = Field(
        default=("beauty", "matte"), title="Passes", min_length=1, max_length=MAX_PASSES
    )
    camera: CameraName = Field(default="", title="Camera", description="Empty: the camera that is in view.")
    members: dict[Identifier, Membership] = Field(
        default={}, title="Members", max_length=400, description="Elements that are something else than `others` says."
    )
    others: Membership = choice(
        "shown", "Elements that are not named", help="What a new element becomes in this layer."
    )
    lights_off: tuple[Title, ...] = Field(default=(), title="Without the lights", max_length=64)
    backdrop: Backdrop | None = Field(default=None, title="Backdrop", description="None: the shot's.")
    samples: Samples | Literal[""] = choice("", "Samples", help="Empty: the shot's, at every quality.")
    rays: Annotated[int, Field(ge=0, le=64)] = Field(default=0, title="Rays", description="0: the shot's.")
    filter: FilterName | Literal[""] = choice("", "Pixel filter", help="Empty: the shot's.")
    filter_width: float = number(1, "Filter width", 1, 8, step=0.1, unit="px")
    frames: Annotated[str, StringConstraints(max_length=1000)] = Field(
        default="", title="Frames", description="A set within the range; empty: all of it."
    )
    note: Annotated[str, StringConstraints(max_length=2000)] = Field(default="", title="Note to the receiver")

    @model_validator(mode="after")
    def _holds(self) -> Layer:
        if self.frames.strip():
            try:
                parse_frames(self.frames)
            except InputError as error:
                raise wrong_at("frames", error.message) from None
        if len(set(self.passes)) < len(self.passes):
            raise wrong_at("passes", "a pass is named twice")
        return self

    def membership(self, element: str) -> Membership:
        """What an element is in this layer."""
        return self.members.get(element, self.others)

    def frames_of(self, frames: tuple[int, ...]) -> tuple[int, ...]:
        """Those of some frames that this layer has."""
        if not self.frames.strip():
            return frames
        own = set(parse_frames(self.frames))
        return tuple(frame for frame in frames if frame in own)
