"""What the shot endpoints take and give."""

from __future__ import annotations

from typing import Any, Literal

from ninja import Field, Schema


class ShotIn(Schema):
    """What a new shot is called."""

    code: str
    title: str


class ShotRow(Schema):
    """A shot as listed."""

    id: int
    code: str
    title: str
    revision: int
    width: int
    height: int
    rate: str
    frames: int
    poster: int


class ShotOut(Schema):
    """A shot with its document."""

    id: int
    project_id: int
    project_title: str
    #: What the person who asks may do: viewer, editor or owner.
    role: str
    revision: int
    can_undo: bool
    can_redo: bool
    undo_label: str
    document: dict[str, Any]


class SaveIn(Schema):
    """A document and the revision that it started from."""

    base: int
    document: dict[str, Any]
    label: str = ""


class BaseIn(Schema):
    """The revision that a change starts from."""

    base: int


class GroundIn(Schema):
    """What stands behind while looking."""

    kind: Literal["checker", "black", "white", "grey", "colour", "gradient"] = "checker"
    colour: str = "#00a651"
    colour_to: str = "#101828"


class GhostsIn(Schema):
    """Neighbouring frames shown through a picture."""

    before: int = Field(default=0, ge=0, le=8)
    after: int = Field(default=0, ge=0, le=8)
    every: int = Field(default=1, ge=1, le=100)
    strength: float = Field(default=0.3, ge=0, le=1)


class WayIn(Schema):
    """An unsaved document, an element, and frames."""

    document: dict[str, Any]
    element: str
    frames: list[int] = Field(max_length=4000)


class PictureIn(Schema):
    """A picture of an unsaved document."""

    document: dict[str, Any]
    frame: int
    width: int
    height: int
    quality: Literal["rough", "check", "final"] = "rough"
    kind: Literal["jpeg", "png"] = "jpeg"
    what: str = "picture"
    #: The whole set, a layer by name, or (``*``) all layers that are on, laid over one another.
    layer: str = ""
    blend: Literal["linear", "encoded"] = "linear"
    ground: GroundIn = GroundIn()
    ghosts: GhostsIn | None = None
    #: Whether what moves is blurred while the shutter is open: five times as much work, which a moving hand does not wait for.
    blurred: bool = True
    #: Whether shadows, occlusion and mirrors are looked for: a hand that moves does not wait for them where they take long.
    rays: bool = True
    #: Of pictures that a page asks for in one line it shows the newest only: one that waits when a newer one is asked for is not rendered.
    line: str = Field("", max_length=64)


class DocumentIn(Schema):
    """An unsaved document."""

    document: dict[str, Any]
    recipe: str = "png8"
    version: int = 1


class FramingIn(Schema):
    """An unsaved document, a frame, and the identities of the elements to frame (none: all)."""

    document: dict[str, Any]
    frame: int
    elements: list[str] = []


class PickIn(Schema):
    """An unsaved document, a frame, and a place on the picture in pixels of the raster from its upper left."""

    document: dict[str, Any]
    frame: int
    x: float
    y: float


class LiesOut(Schema):
    """Where an element lies on the picture (see ``resolve.hands``)."""

    element: str
    box: tuple[float, float, float, float] | None
    pivot: tuple[float, float]
    across: tuple[float, float, float]
    down: tuple[float, float, float]


class FrameIn(Schema):
    """An unsaved document and a frame."""

    document: dict[str, Any]
    frame: int


class ValuesIn(Schema):
    """An unsaved document, frames to look at its moving values at, and which of them (none: all)."""

    document: dict[str, Any]
    frames: list[int] = Field(max_length=2000)
    tracks: list[str] = Field(default=[], max_length=1000)


class TrackOut(Schema):
    """A value that moves: its path in the document, its part's and its own name, what kind of value it is, the limits of its numbers
    (none: no limit), and what it is at each frame that was asked for (colours as people write them)."""

    path: str
    thing: str
    title: str
    kind: Literal["number", "whole", "vector", "angles", "colour", "switch", "choice"]
    unit: str
    low: float | None
    high: float | None
    values: list[Any]


class RetimeIn(Schema):
    """What to do to the time of an unsaved document (``shots.moving.RETIMINGS`` says with which of these)."""

    document: dict[str, Any]
    what: str
    tracks: list[str] = Field(default=[], max_length=1000)
    elements: list[str] = Field(default=[], max_length=200)
    first: int = 0
    last: int = 0
    frames: int = 0
    by: int = 0
    value: Any = None
    rate: str = ""
    keep_seconds: bool = True


class SpeakIn(Schema):
    """What speaks in an unsaved document, and with which sound (``zeitbild.resolve.speaking.Speaking``)."""

    document: dict[str, Any]
    sound: str = Field(max_length=80)
    mouth: str = Field(default="", max_length=200)
    values: dict[str, float] = Field(default={}, max_length=20)
    shapes: dict[str, str] = Field(default={}, max_length=20)
    every: int = 1
    blinks: str = Field(default="", max_length=200)
    eyes_open: float = 1
    eyes_closed: float = 2
    head: str = Field(default="", max_length=200)
    degrees: float = Field(default=4, ge=-180, le=180)
    seed: int = Field(default=1, ge=0, le=1_000_000)


class StrokesIn(Schema):
    """An element of an unsaved document, at a frame."""

    document: dict[str, Any]
    element: str = Field(max_length=80)
    frame: int = 1


class MarkedOut(Schema):
    """What hands on the picture take hold of in an element (see ``resolve.hands``)."""

    name: str
    points: list[tuple[float, float]]
    own: tuple[float, float, float, float, float, float]
    carried: tuple[float, float, float, float]


class StrokeOut(Schema):
    """A stroke: its number as it was found, some points from its beginning to its end (shares of the box around all strokes, from its upper
    left), and whether it closes."""

    number: int
    points: list[tuple[float, float]]
    closes: bool


class RetimedOut(Schema):
    """New values by their paths in the document, and what a person should know of it."""

    values: dict[str, Any]
    note: str


class StretchIn(Schema):
    """An unsaved document, and frames of it."""

    document: dict[str, Any]
    first: int
    count: int = Field(ge=1, le=100_000)


class WaveformOut(Schema):
    """Least and greatest samples of a sound in quarters of frames, and the frames (which may lie between two) at which it gets loud."""

    sound: str
    lows: list[float]
    highs: list[float]
    loud: list[float]


class PaletteIn(FrameIn):
    """... and how many colours to find."""

    count: int = Field(default=16, ge=2, le=64)


class HistogramOut(Schema):
    """Shares of the solid pixels; see ``zeitbild.proof.histogram``."""

    red: list[float]
    green: list[float]
    blue: list[float]
    burnt: float
    one_burnt: float
    black: float
    solid: float


class JobOut(Schema):
    """A job that is under way: its name, and whether others are served before it."""

    job: str
    waits: bool


class LayerCostOut(Schema):
    """What a layer of a run would cost: seconds and bytes of a frame as measured, and of all that are not rendered yet."""

    layer: str
    frames: int
    reused: int
    each_seconds: float
    seconds: float
    bytes: int


class EstimateIn(Schema):
    """An unsaved document, a quality, a frame set (empty: the range), and layers (none: those that are on)."""

    document: dict[str, Any]
    quality: Literal["rough", "check", "final"] = "final"
    frame_set: str = ""
    layers: list[str] = []


class LengthIn(Schema):
    """A typed length."""

    text: str
    rate: str


class LengthOut(Schema):
    """A length three ways."""

    frames: int
    seconds: float
    timecode: str


class PassOut(Schema):
    """Something of a shot that can be looked at and written: what it is called there and in file names."""

    name: str
    title: str
    note: str
    role: str
    code: str
    sums: bool


class OutputOut(Schema):
    """A sequence of files."""

    layer: str
    pass_name: str
    pass_code: str
    folder: str
    first: str
    last: str
    count: int
    names: list[str]


class MotionOut(Schema):
    """Degrees that an element has turned at each frame."""

    element: str
    name: str
    axis: str
    degrees: list[float]


class PlanOut(Schema):
    """All sequences."""

    outputs: list[OutputOut]
    total: int
    hints: list[str]


class FindingOut(Schema):
    """Something that a check noticed."""

    code: str
    level: Literal["hint", "warning"]
    message: str
    field: str
    desk: str
    frame: int | None
    mend: dict[str, Any]
    mend_title: str


class ExaminedOut(Schema):
    """What there is to say about a document."""

    length: LengthOut
    frame_count: int
    plan: PlanOut | None
    passes: list[PassOut]
    naming_error: str | None
    findings: list[FindingOut]
    motion: list[MotionOut]


class EstimateOut(Schema):
    """What a run would cost."""

    frames: int
    layers: list[LayerCostOut]
    cells: int
    files: int
    #: Seconds of the pictures of the whole set that layers are compared with.
    proof_seconds: float
    reused: int
    seconds: float
    bytes: int
    file_bytes: int
