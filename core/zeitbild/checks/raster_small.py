"""A raster left much smaller than the project's."""

from collections.abc import Iterator

from zeitbild.checks._base import Check, Finding, SetView, checks

#: Share of the project's width below which a raster looks like a forgotten preview.
_SMALL = 0.6


def _look(view: SetView) -> Iterator[Finding]:
    raster, project = view.shot.raster, view.raster
    if project and raster.width < _SMALL * project[0] and raster.height < _SMALL * project[1]:
        yield Finding(
            "raster-small",
            "warning",
            f"Frames will be {raster.width} × {raster.height}, but the project works at {project[0]} × {project[1]}.",
            "raster.width",
            "build",
            None,
            {"raster.width": project[0], "raster.height": project[1]},
            "Use the project's size",
        )


checks.register(Check("raster-small", look_at_set=_look))
