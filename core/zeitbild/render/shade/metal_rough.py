"""Light that leaves a surface towards the camera: metal-rough model of glTF 2.0, appendix B, with nothing lost
(``energy``).

Conventions: a sun of strength 1 and colour white makes a white matt surface that faces it radiate 1. Ambient light
arrives evenly from all directions; the environment arrives from its blurred pictures. Single precision throughout: a
literal without ``np.float32`` would make numba compute in double precision, at half the speed.
"""

from __future__ import annotations

import math

import numpy as np

from zeitbild.kernels import inlined_kernel, kernel
from zeitbild.render.light import reflectance
from zeitbild.render.light.area_highlights import ORIGIN, area_highlight, disc_of
from zeitbild.render.light.environment import LEVEL_COUNT, SHARPEST, blurred_value, level_value
from zeitbild.render.light.ggx import ggx_lobe, shadowing
from zeitbild.render.light.lighting import FLAT, has_borders, reach
from zeitbild.render.light.octahedral import unfold
from zeitbild.render.light.reflectance import ASLANT, ENTRY, LOOKS, TABLE, WHOLLY, dielectric_share
from zeitbild.render.shade.rayed import BEHIND_LIGHTS, IN_LOBES, share_in_lobe
from zeitbild.snapshot.finish_row import OWNER

DIELECTRIC, LEAST_COSINE = np.float32(reflectance.DIELECTRIC), np.float32(reflectance.LEAST_COSINE)
#: Smallest squared roughness, so that a mirror's highlight keeps a finite peak.
MIN_ALPHA = np.float32(SHARPEST**2)
_MIN_ALPHA, _LEAST_COSINE = MIN_ALPHA, LEAST_COSINE
_ZERO, _HALF, _ONE, _TWO = np.float32(0), np.float32(0.5), np.float32(1), np.float32(2)
_THIRD = np.float32(1 / 3)
_LEVEL_COUNT = LEVEL_COUNT
#: Bends (radians, squared) from which on what is mirrored differs within them.
_NOTICED = np.float32(1.5e-4)
#: Alpha for a bend: half of a Gaussian's height is 2.355 sigma wide, half of GGX's, mirrored, 2.56 alpha.
_PART_OF_BEND = np.float32(2 / math.sqrt(12) * 2.355 / 2.56)
_STEPS, _CELL_COUNT, _LAST_CELL = np.float32(TABLE - 1), np.int32(TABLE), np.int32(TABLE - 2)
#: A quarter and a half of a turn; how much normals turn (over the lobe's width, squared) before that counts; how far off a
#: highlight lies (over how much normals turn, squared) before it counts no more.
_QUARTER, _HALF_TURN = np.float32(math.pi / 2), np.float32(math.pi)
_LITTLE_BEND, _FAR_BENDS = np.float32(0.02), np.float32(16)
#: How narrow a round light is to be but a wider lobe: half of its radius over alpha, and by itself, squared; from how far a bend (over both, squared)
#: four looks along it miss the highlight.
_NARROW, _SLIM, _PAST = np.float32(0.05), np.float32(0.002), np.float32(60)
#: Where the fits begin in the table.
_FITS = np.int32(ENTRY * TABLE * TABLE)
#: Steps in rows of numbers: to the next one, two or three, the table's next entry, its next row.
_I, _II, _III, _IV, _V, _VI, _VII = (np.uint64(step) for step in range(1, 8))
_ENTRY, _NEXT, _NEXT_ROW = np.int32(ENTRY), np.uint64(ENTRY), np.uint64(ENTRY * TABLE)
#: Places along a bend that are looked at (shares of it), and which of the four looks along a lobe is taken there: as if chance had it.
ALONG_BEND = np.array([-0.375, -0.125, 0.125, 0.375], np.float32)
_LOOK_AT, _LOOK_ROUGH = (np.array([LOOKS[k][number] for k in (1, 3, 0, 2)], np.float32) for number in (0, 1))
_ASLANT, _INTO_ASLANT = np.float32(ASLANT), np.float32(1 / (ASLANT - WHOLLY))
_LEAST_ASIDE = np.float32(1e-6)
#: The exponent 2^(-16 a - 1) of a reflection's occlusion, written for exp.
_LOG_2 = np.float32(math.log(2))
_OPEN_SLOPE = np.float32(-16 * math.log(2))
_OWNER, _FLAT, _ORIGIN = OWNER, np.float32(FLAT), ORIGIN
_BEHIND_LIGHTS, _IN_LOBES = BEHIND_LIGHTS, IN_LOBES


@inlined_kernel
def parts_of_bend(bent, square):  # type: ignore[no-untyped-def]
    """Into how many parts a bend (radians, squared) is cut where what is mirrored is looked at; square is roughness to the fourth."""
    return 4 if bent >= _NOTICED and bent >= square else 1


@inlined_kernel
def looks_along(bent, square, spread):  # type: ignore[no-untyped-def]
    """How often what is mirrored is looked at: once for each part of a bend, and along a lobe that is longer than it is wide (spread as in
    ``lobe_of``)."""
    return 4 if spread > _ZERO else parts_of_bend(bent, square)


@inlined_kernel
def bent_roughness(rough, bent, steps):  # type: ignore[no-untyped-def]
    """The roughness whose lobe is as wide as what is mirrored where a surface bends (bent: radians, squared) within what is shaded, of which
    each of so many looks stands for a part. That is even over twice the bend, as wide in the root of its mean square as a lobe of so much
    alpha is at half of its height."""
    part = _PART_OF_BEND / np.float32(steps)
    alpha = rough * rough
    return math.sqrt(math.sqrt(alpha * alpha + part * part * bent))


@inlined_kernel
def angle_of(x, y):  # type: ignore[no-untyped-def]
    """Angle (0 to pi) of the point (x, y) above the axis, y not negative; off by 2e-6 at most (Hastings 1955, Approximations for
    Digital Computers, sheet 13, from memory)."""
    wide = abs(x)
    small, large = (y, wide) if y < wide else (wide, y)
    t = small / large
    s = t * t
    angle = t * (
        np.float32(0.99997726)
        + s
        * (
            np.float32(-0.33262347)
            + s
            * (
                np.float32(0.19354346)
                + s * (np.float32(-0.11643287) + s * (np.float32(0.05265332) - s * np.float32(0.01172120)))
            )
        )
    )
    angle = _QUARTER - angle if y > wide else angle
    return _HALF_TURN - angle if x < _ZERO else angle


@inlined_kernel
def highlight_lobe(normal, view, towards, n_v, square, seen_root, bend):  # type: ignore[no-untyped-def]
    """(``ggx_lobe`` times n.l, Schlick's fifth power) for light from the unit direction ``towards``, l; 0 from below the surface. normal and
    view are n and v, unit length too.

    bend, b, is how far the normal turns within what is shaded, from one end to the other, across n: GGX's distribution is the mean over
    normals n + t b, t from -1/2 to 1/2. Written by the offset p of the half vector from n it is alpha^2 / pi over the square of
    a quadratic in t, whose integral is known.
    """
    nx, ny, nz = normal
    vx, vy, vz = view
    lx, ly, lz = towards
    bx, by, bz = bend
    n_l = nx * lx + ny * ly + nz * lz
    hx, hy, hz = lx + vx, ly + vy, lz + vz
    length = hx * hx + hy * hy + hz * hz
    lobe, fifth = _ZERO, _ZERO
    if n_l > _ZERO and length >= np.float32(1e-12):
        scale = _ONE / math.sqrt(length)
        hx, hy, hz = hx * scale, hy * scale, hz * scale
        n_h = min(_ONE, max(_ZERO, nx * hx + ny * hy + nz * hz))
        rest = _ONE - min(_ONE, max(_ZERO, vx * hx + vy * hy + vz * hz))
        lobe = ggx_lobe(n_l, n_v, n_h, square, seen_root) * n_l
        squared = rest * rest
        fifth = squared * squared * rest
        bent = bx * bx + by * by + bz * bz
        apart = n_h * n_h * (square - _ONE) + _ONE
        # Far from the highlight, and where normals hardly turn, the middle stands for all.
        if bent > _LITTLE_BEND * square and apart < _FAR_BENDS * bent:
            px, py, pz = hx - n_h * nx, hy - n_h * ny, hz - n_h * nz
            along = px * bx + py * by + pz * bz
            cx, cy, cz = py * bz - pz * by, pz * bx - px * bz, px * by - py * bx
            across = bent * square * n_h * n_h + cx * cx + cy * cy + cz * cz
            root = math.sqrt(across)
            half = _HALF * bent
            ends = (half - along) / (_HALF * half - along + apart) + (half + along) / (_HALF * half + along + apart)
            angle = angle_of(across + along * along - half * half, bent * root)
            mean = _HALF * (ends + bent * angle / root) / across
            lobe *= max(_ZERO, mean * apart * apart)
    return lobe, fifth


@kernel
def bent_area_highlight(light, point, normal, view, bend, square, rough, reflectance, straight, table):  # type: ignore[no-untyped-def]
    """``area_highlight`` where the normal turns by bend (as in ``highlight_lobe``): its mean at four places of that."""
    nx, ny, nz = normal
    vx, vy, vz = view
    bx, by, bz = bend
    bent = bx * bx + by * by + bz * bz
    if parts_of_bend(bent, square) == 1:
        return area_highlight(light, point, normal, view, square, rough, reflectance, straight, table)
    whole = fifths = _ZERO
    for step in range(4):
        t = ALONG_BEND[step]
        x, y, z = nx + t * bx, ny + t * by, nz + t * bz
        scale = _ONE / math.sqrt(x * x + y * y + z * z)
        own = x * scale, y * scale, z * scale
        if x * vx + y * vy + z * vz <= _ZERO:
            own = nx, ny, nz
        lobe, fifth = area_highlight(light, point, own, view, square, rough, reflectance, straight, table)
        whole += lobe
        fifths += lobe * fifth
    return np.float32(0.25) * whole, fifths / whole if whole > _ZERO else _ZERO


@inlined_kernel
def widened(square, half2):  # type: ignore[no-untyped-def]
    """Roughness to the fourth of the lobe that stands for one of a light with a size (half2 as in ``lighting.reach``): of a disc about its middle
    GGX's holds half2 / (half2 + square), which is what this one's peak has."""
    return square + half2


@inlined_kernel
def disc_counts(bent, square, half2):  # type: ignore[no-untyped-def]
    """Whether more of a round light counts than how wide it is (``widened``), where the normal turns by the root of bent: not where lobes hardly
    change across it, nor where a surface bends past it from one look to the next."""
    return half2 > min(_SLIM, _NARROW * square) and bent < _PAST * (half2 + square)


@inlined_kernel
def light_highlight(  # type: ignore[no-untyped-def]
    light,
    towards,
    arriving,
    half2,
    point,
    normal,
    view,
    bend,
    n_v,
    square,
    seen_root,
    rough,
    reflectance,
    straight,
    table,
):
    """``highlight_lobe`` of any light's row, times its strength, and Schlick's fifth power; towards, arriving and half2 from ``lighting.reach``, the
    rest as in ``area_highlight`` and ``highlight_lobe``."""
    bent = bend[0] * bend[0] + bend[1] * bend[1] + bend[2] * bend[2]
    if light[0] >= _FLAT:
        lobe, fifth = bent_area_highlight(light, point, normal, view, bend, square, rough, reflectance, straight, table)
    elif disc_counts(bent, square, half2):
        disc = disc_of(towards, arriving, half2)
        lobe, fifth = bent_area_highlight(
            disc, _ORIGIN, normal, view, bend, square, rough, reflectance, straight, table
        )
    else:
        lobe, fifth = highlight_lobe(normal, view, towards, n_v, widened(square, half2), seen_root, bend)
        lobe *= arriving
    return lobe, fifth


@inlined_kernel
def added_light(  # type: ignore[no-untyped-def]
    normal, towards, diffuse, lobe, fifth, colour, base, metal, lost, kept, fit
):
    """Six numbers: matt and highlight radiance by one light of a colour from the unit direction ``towards``.

    diffuse as ``lighting.reach`` gives it; lobe (times the light's strength) and fifth as in ``highlight_lobe``; base is the surface's
    colour; lost, kept and the fit (its three coefficients) as in ``energy``.
    """
    nx, ny, nz = normal
    lx, ly, lz = towards
    red, green, blue = colour
    base_r, base_g, base_b = base
    fit_0, fit_2, fit_5 = fit
    rest = _ONE - metal
    # The dielectric's matt share is what its mirror lets in and out again; metal has none.
    grazing = _ONE - min(_ONE, max(_ZERO, nx * lx + ny * ly + nz * lz))
    grazing2 = grazing * grazing
    plain = rest * (DIELECTRIC + (_ONE - DIELECTRIC) * fifth) * (_ONE + DIELECTRIC * lost)
    matt = rest * kept * (_ONE - fit_0 - grazing2 * (fit_2 + grazing2 * grazing * fit_5)) * diffuse
    return (
        base_r * matt * red,
        base_g * matt * green,
        base_b * matt * blue,
        (plain + metal * (base_r + (_ONE - base_r) * fifth) * (_ONE + base_r * lost)) * lobe * red,
        (plain + metal * (base_g + (_ONE - base_g) * fifth) * (_ONE + base_g * lost)) * lobe * green,
        (plain + metal * (base_b + (_ONE - base_b) * fifth) * (_ONE + base_b * lost)) * lobe * blue,
    )


@inlined_kernel
def table_place(n_v, rough):  # type: ignore[no-untyped-def]
    """(number of the entry, fractions) in the table of reflectance at n.v and roughness."""
    cell_v, cell_r = min(n_v, _ONE) * _STEPS, min(max(rough, _ZERO), _ONE) * _STEPS
    v, r = min(np.int32(cell_v), _LAST_CELL), min(np.int32(cell_r), _LAST_CELL)
    return np.int32(v * _CELL_COUNT + r), cell_v - np.float32(v), cell_r - np.float32(r)


@inlined_kernel
def mixed_table(table, place, fv, fr):  # type: ignore[no-untyped-def]
    """Eight numbers of ``reflectance.reflectance_table`` at a place of ``table_place``, bilinear: scale and bias, and what ``lobe_of`` wants to
    know. table is all its numbers in one row."""
    a = np.uint64(_ENTRY * place)
    b, c = a + _NEXT, a + _NEXT_ROW
    d = c + _NEXT
    w00, w01, w10, w11 = (_ONE - fv) * (_ONE - fr), (_ONE - fv) * fr, fv * (_ONE - fr), fv * fr
    return (
        table[a] * w00 + table[b] * w01 + table[c] * w10 + table[d] * w11,
        table[a + _I] * w00 + table[b + _I] * w01 + table[c + _I] * w10 + table[d + _I] * w11,
        table[a + _II] * w00 + table[b + _II] * w01 + table[c + _II] * w10 + table[d + _II] * w11,
        table[a + _III] * w00 + table[b + _III] * w01 + table[c + _III] * w10 + table[d + _III] * w11,
        table[a + _IV] * w00 + table[b + _IV] * w01 + table[c + _IV] * w10 + table[d + _IV] * w11,
        table[a + _V] * w00 + table[b + _V] * w01 + table[c + _V] * w10 + table[d + _V] * w11,
        table[a + _VI] * w00 + table[b + _VI] * w01 + table[c + _VI] * w10 + table[d + _VI] * w11,
        table[a + _VII] * w00 + table[b + _VII] * w01 + table[c + _VII] * w10 + table[d + _VII] * w11,
    )


@inlined_kernel
def table_entry(table, n_v, rough):  # type: ignore[no-untyped-def]
    """The same at n.v and roughness."""
    place, fv, fr = table_place(n_v, rough)
    return mixed_table(table, place, fv, fr)


@inlined_kernel
def straight_reflectance(base, metal):  # type: ignore[no-untyped-def]
    """What a surface of a base colour (three numbers) reflects straight ahead, in the mean of the colours."""
    red, green, blue = base
    return DIELECTRIC + metal * ((red + green + blue) * _THIRD - DIELECTRIC)


@inlined_kernel
def lobe_of(entry, straight):  # type: ignore[no-untyped-def]
    """Three numbers about the lobe of a surface that reflects so much straight ahead: how far it leans (``mirrored_way``), its roughness, and
    how much longer than wide it is (``lobe_look``). entry is that of ``table_entry``."""
    scale, bias, lean, rough, spread, other_lean, other_rough, other_spread = entry
    share = dielectric_share(scale, bias, straight)
    return (
        lean + (other_lean - lean) * share,
        rough + (other_rough - rough) * share,
        spread + (other_spread - spread) * share,
    )


@inlined_kernel
def mirrored_way(normal, view, lean):  # type: ignore[no-untyped-def]
    """The direction (of any length) from which most comes of what is mirrored: from the mirror direction (lean 0) to the normal (1). normal
    of about unit length, view a unit vector."""
    nx, ny, nz = normal
    vx, vy, vz = view
    square = nx * nx + ny * ny + nz * nz
    # The mirror direction is as long as the normal's square here.
    rest = _ONE - lean
    twice = _TWO * max(nx * vx + ny * vy + nz * vz, _LEAST_COSINE) * rest + lean * math.sqrt(square)
    square *= rest
    return twice * nx - square * vx, twice * ny - square * vy, twice * nz - square * vz


@inlined_kernel
def lobe_look(normal, view, lean, spread, step):  # type: ignore[no-untyped-def]
    """(direction of any length, factor of the roughness) of one of four looks along a lobe that is so much longer than it is wide: a half
    tangent, by which ``reflectance.LOOKS`` lie apart in the plane of view. normal, view and lean as in ``mirrored_way``."""
    x, y, z = mirrored_way(normal, view, lean)
    nx, ny, nz = normal
    vx, vy, vz = view
    rough = _ONE
    # Across the normal, away from the view.
    facing = nx * vx + ny * vy + nz * vz
    tx, ty, tz = facing * nx - vx, facing * ny - vy, facing * nz - vz
    aside = tx * tx + ty * ty + tz * tz
    if spread > _ZERO and aside > _LEAST_ASIDE:
        scale = _ONE / math.sqrt(aside)
        tx, ty, tz = tx * scale, ty * scale, tz * scale
        # By twice the angle whose tangent that is, to the normal.
        up, along = x * nx + y * ny + z * nz, x * tx + y * ty + z * tz
        half = spread * _LOOK_AT[step]
        whole, twice = _ONE - half * half, _TWO * half
        a, b = whole * up + twice * along, whole * along - twice * up
        x, y, z = a * nx + b * tx, a * ny + b * ty, a * nz + b * tz
        rough += (_LOOK_ROUGH[step] - _ONE) * min(_ONE, max(_ZERO, (_ASLANT - facing) * _INTO_ASLANT))
    return x, y, z, rough


@inlined_kernel
def mirrored_around(maps, normal, view, bend, square, lobe):  # type: ignore[no-untyped-def]
    """Three numbers: radiance of the surroundings that a lobe (``lobe_of``) mirrors, the mean of its looks, which lie along the bend (as in
    ``highlight_lobe``), too. square is roughness to the fourth, maps those of ``lighting.Shining``."""
    nx, ny, nz = normal
    bx, by, bz = bend
    lean, rough, spread = lobe
    bent = bx * bx + by * by + bz * bz
    parts, looks = parts_of_bend(bent, square), looks_along(bent, square, spread)
    wide = bent_roughness(rough, bent, parts)
    red = green = blue = _ZERO
    for step in range(looks):
        t = ALONG_BEND[step] if parts > 1 else _ZERO
        x, y, z, factor = lobe_look((nx + t * bx, ny + t * by, nz + t * bz), view, lean, spread, step)
        own_r, own_g, own_b = blurred_value(maps, wide * factor, (x, y, z))
        red, green, blue = red + own_r, green + own_g, blue + own_b
    part = _ONE / np.float32(looks)
    return red * part, green * part, blue * part


@inlined_kernel
def energy(scale, bias, avg):  # type: ignore[no-untyped-def]
    """Three numbers: what many bounces between facets add to a lobe, for each of its reflectance; share of light that a
    dielectric mirrors towards the view; and the factor of its matt light.

    A white lobe reflects scale + bias after one bounce; what it lost comes back after more (Turquin 2019, Practical
    multiple scattering compensation for microfacet models, equation 16). What is not mirrored goes in and comes out matt,
    so coupled that both add up to what arrives, in either direction (Kelemen and Szirmay-Kalos 2001, A Microfacet Based
    Coupled Specular-Matte BRDF Model, section 4). avg is one over what goes in of even light.
    """
    lost = _ONE / max(scale + bias, np.float32(1e-3)) - _ONE
    mirrored = (DIELECTRIC * scale + bias) * (_ONE + DIELECTRIC * lost)
    return lost, mirrored, (_ONE - mirrored) * avg


@inlined_kernel
def matt_fit(table, rough):  # type: ignore[no-untyped-def]
    """Four numbers: coefficients of what a dielectric of a roughness mirrors of light from an angle (of 1, and of the second
    and fifth power of one less its cosine), and one over what it lets in of even light. See ``reflectance_table``."""
    cell = min(max(rough, _ZERO), _ONE) * _STEPS
    row = min(np.int32(cell), _LAST_CELL)
    part = cell - np.float32(row)
    a = np.uint64(_FITS + 4 * row)
    b = a + np.uint64(4)
    rest = _ONE - part
    return (
        table[a] * rest + table[b] * part,
        table[a + _I] * rest + table[b + _I] * part,
        table[a + _II] * rest + table[b + _II] * part,
        table[a + _III] * rest + table[b + _III] * part,
    )


@inlined_kernel
def occluded_share(n_v, rough, openness):  # type: ignore[no-untyped-def]
    """What a corner leaves of a reflection (Lagarde and de Rousiers, SIGGRAPH 2014 course on physically based shading,
    listing 26, from memory)."""
    power = math.exp(math.log(n_v + openness) * math.exp(_OPEN_SLOPE * rough * rough - _LOG_2))
    return min(_ONE, max(_ZERO, np.float32(power) - _ONE + openness))


@inlined_kernel
def direct_light(point, normal, view, finish, finishes, shining, rayed, f):  # type: ignore[no-untyped-def]
    """Six numbers: diffuse and highlight radiance of all lights at a point.

    The normal and the view (towards the eye) are of unit length; finish is the row in finishes [F, FINISH_ROW]; shining as in
    ``lighting.Shining``; rayed [fragments, >= L] share of each light that reaches fragment f, or of no length: all does; perhaps, too, what of it
    its lobe sees (``rayed.IN_LOBES``).
    """
    px, py, pz = point
    nx, ny, nz = normal
    vx, vy, vz = view
    lights, touched, table = shining.rows, shining.touched, shining.table
    owner = int(finishes[finish, _OWNER])
    base_r, base_g, base_b = finishes[finish, 0], finishes[finish, 1], finishes[finish, 2]
    rough, metal = finishes[finish, 3], finishes[finish, 4]
    facing = nx * vx + ny * vy + nz * vz
    n_v = min(_ONE, max(facing, _LEAST_COSINE))
    square = max(rough * rough, _MIN_ALPHA) ** 2
    seen_root = shadowing(n_v, square)
    entry = table_entry(table, n_v, rough)
    scale, bias = entry[0], entry[1]
    straight = straight_reflectance((base_r, base_g, base_b), metal)
    fit_0, fit_2, fit_5, avg = matt_fit(table, rough)
    lost, _, kept = energy(scale, bias, avg)
    matt_r = matt_g = matt_b = _ZERO
    high_r = high_g = high_b = _ZERO
    flat = _ZERO, _ZERO, _ZERO
    in_lobe = lights.shape[0] + _BEHIND_LIGHTS
    for number in range(lights.shape[0]):
        light = lights[number]
        column = in_lobe
        if has_borders(light):
            in_lobe += _IN_LOBES
        if touched[number, owner] == 0:
            continue
        if light[0] == _ZERO and light[16] == _ZERO:
            # A sun without a size, by far the most frequent light.
            lx, ly, lz = -light[4], -light[5], -light[6]
            diffuse = max(_ZERO, nx * lx + ny * ly + nz * lz)
            arriving, half2 = _ONE, _ZERO
        else:
            diffuse, arriving, lx, ly, lz, half2 = reach(light, px, py, pz, nx, ny, nz)
        towards = lx, ly, lz
        lobe, fifth = light_highlight(
            light,
            towards,
            arriving,
            half2,
            point,
            normal,
            view,
            flat,
            n_v,
            square,
            seen_root,
            rough,
            (scale, bias),
            straight,
            table,
        )
        if rayed.shape[0] > 0:
            share = mirrored = rayed[f, number]
            if has_borders(light) and column < rayed.shape[1]:
                mirrored = share_in_lobe(rayed, f, column, share)
            diffuse, lobe = diffuse * share, lobe * mirrored
        if diffuse <= _ZERO and lobe <= _ZERO:
            continue
        own = added_light(
            normal,
            towards,
            diffuse,
            lobe,
            fifth,
            (light[7], light[8], light[9]),
            (base_r, base_g, base_b),
            metal,
            lost,
            kept,
            (fit_0, fit_2, fit_5),
        )
        matt_r, matt_g, matt_b = matt_r + own[0], matt_g + own[1], matt_b + own[2]
        high_r, high_g, high_b = high_r + own[3], high_g + own[4], high_b + own[5]
    return matt_r, matt_g, matt_b, high_r, high_g, high_b


@inlined_kernel
def mirror_light(normal, view, finish, finishes, shining):  # type: ignore[no-untyped-def]
    """Seven numbers: radiance that a point mirrors of environment and ambient light; the share of it that
    the surface reflects (red, green, blue); and the share that a dielectric reflects. Arguments as in ``light_around``."""
    nx, ny, nz = normal
    vx, vy, vz = view
    ambients, maps, table = shining.ambients, shining.maps, shining.table
    owner = int(finishes[finish, _OWNER])
    base_r, base_g, base_b = finishes[finish, 0], finishes[finish, 1], finishes[finish, 2]
    rough, metal = finishes[finish, 3], finishes[finish, 4]
    n_v = min(_ONE, max(nx * vx + ny * vy + nz * vz, _LEAST_COSINE))
    rest = _ONE - metal
    entry = table_entry(table, n_v, rough)
    scale, bias = entry[0], entry[1]
    lost, mirrored, _ = energy(scale, bias, _ONE)
    lobe = lobe_of(entry, straight_reflectance((base_r, base_g, base_b), metal))
    # Where it does not bend all of it is one part.
    red, green, blue = mirrored_around(maps, normal, view, (_ZERO, _ZERO, _ZERO), _ONE, lobe)
    return (
        red + ambients[owner, 0],
        green + ambients[owner, 1],
        blue + ambients[owner, 2],
        rest * mirrored + metal * (base_r * scale + bias) * (_ONE + base_r * lost),
        rest * mirrored + metal * (base_g * scale + bias) * (_ONE + base_g * lost),
        rest * mirrored + metal * (base_b * scale + bias) * (_ONE + base_b * lost),
        mirrored,
    )


@inlined_kernel
def light_around(normal, view, finish, finishes, shining, openness, rayed, f, first):  # type: ignore[no-untyped-def]
    """Three numbers: radiance of a point by ambient light and the environment.

    Arguments as in ``direct_light``; openness the share of the half sphere that is open; from column
    first of rayed on stand the radiance that fragment f's mirror rays met and the share of them that met something; first
    is 0 where none were cast.
    """
    nx, ny, nz = normal
    vx, vy, vz = view
    ambients, maps = shining.ambients, shining.maps
    red, green, blue, share_r, share_g, share_b, mirrored = mirror_light(normal, view, finish, finishes, shining)
    owner = int(finishes[finish, _OWNER])
    rough, rest = finishes[finish, 3], _ONE - finishes[finish, 4]
    if first > 0:
        clear = _ONE - rayed[f, first + 3]
        red = red * clear + rayed[f, first]
        green = green * clear + rayed[f, first + 1]
        blue = blue * clear + rayed[f, first + 2]
    elif openness < _ONE:
        kept = occluded_share(min(_ONE, max(nx * vx + ny * vy + nz * vz, _LEAST_COSINE)), rough, openness)
        red, green, blue = red * kept, green * kept, blue * kept
    red, green, blue = red * share_r, green * share_g, blue * share_b
    if rest > _ZERO:
        u, v = unfold(nx, ny, nz)
        soft_r, soft_g, soft_b = level_value(maps, _LEVEL_COUNT, u, v)
        kept = rest * (_ONE - mirrored) * openness
        red += finishes[finish, 0] * kept * (soft_r + ambients[owner, 0])
        green += finishes[finish, 1] * kept * (soft_g + ambients[owner, 1])
        blue += finishes[finish, 2] * kept * (soft_b + ambients[owner, 2])
    return red, green, blue
