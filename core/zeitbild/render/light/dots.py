"""How dots are lit: each as a small matt ball, seen from the camera, without shadows."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from zeitbild.snapshot import Snapshot
from zeitbild.snapshot.dots import Dots

Floats = NDArray[np.float64]


def ball_phase(cosine: Floats) -> Floats:
    """What a white matt ball radiates in the mean over its disc, as a share of what a surface that faces the light does, by the cosine of the
    angle between the ways to the light and to the eye (the phase function of a Lambertian ball: Schoenberg 1929): 2/3 in full light."""
    angle = np.arccos(np.clip(cosine, -1, 1))
    return np.asarray(2 / (3 * math.pi) * (np.sin(angle) + (math.pi - angle) * np.cos(angle)))


def lit_dots(dots: Dots, matrix: Floats, snapshot: Snapshot) -> Dots:
    """Dots in the light of a set, their body standing at a matrix [4, 4]."""
    places = dots.places @ matrix[:3, :3].T + matrix[:3, 3]
    camera = snapshot.camera
    to_eye = np.broadcast_to(-camera.axes[2], places.shape) if camera.parallel else _unit(camera.eye - places)
    around = snapshot.environment
    even = around.strength * (np.array(around.sky) + np.array(around.floor) + np.array(around.horizon)) / 3
    light = np.broadcast_to(even, places.shape).copy()
    for source in snapshot.lights:
        colour = np.array(source.colour)
        if source.shape == "ambient":
            light += colour
            continue
        if source.shape == "sun":
            way, strength = np.broadcast_to(-np.array(source.direction), places.shape), np.ones(len(places))
        else:
            off = np.array(source.position) - places
            distance = np.maximum(np.linalg.norm(off, axis=1), 1e-9)
            way, strength = off / distance[:, None], (source.reach / distance) ** 2
            along = -(way @ np.array(source.direction))
            if source.shape in ("rectangle", "disc"):
                strength = strength * np.maximum(along, 0)
            inner, outer = source.cone
            if outer > -1:
                strength = strength * np.clip((along - outer) / max(inner - outer, 1e-9), 0, 1)
        light += colour * (strength * ball_phase((way * to_eye).sum(axis=1)))[:, None]
    return replace(dots, colours=(dots.colours * light).astype(np.float32))


def _unit(ways: Floats) -> Floats:
    found: Floats = ways / np.maximum(np.linalg.norm(ways, axis=1), 1e-12)[:, None]
    return found
