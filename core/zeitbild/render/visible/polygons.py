"""Polygons in a pixel, whose sides are 1: areas of what edges leave of it, and convex polygons that are cut by lines."""

from __future__ import annotations

from zeitbild.kernels import kernel


@kernel
def half_plane(v, f, g):  # type: ignore[no-untyped-def]
    """How much of the unit square lies where v + f x + g y > 0; some of it does, and some does not."""
    a, b = abs(f), abs(g)
    p, q = max(a, b), min(a, b)
    # How far up the line lies, from the corner that it leaves last.
    t = -(v + min(f, 0.0) + min(g, 0.0))
    if t <= q:
        return 1.0 - t * t / (2.0 * a * b)
    if t <= p:
        return 1.0 - (t - q / 2.0) / p
    rest = p + q - t
    return rest * rest / (2.0 * a * b)


@kernel
def clipped_area(v0, f0, g0, v1, f1, g1, v2, f2, g2, ring, other):  # type: ignore[no-untyped-def]
    """(area, x, y): how much of the unit square lies where v + f x + g y > 0 for all three, and that part's middle.

    The square is cut by one line after the other (Sutherland and Hodgman 1974, Reentrant Polygon Clipping). ring and
    other [8, 2] float64 are for its use.
    """
    ring[0, 0], ring[0, 1], ring[1, 0], ring[1, 1] = 0.0, 0.0, 1.0, 0.0
    ring[2, 0], ring[2, 1], ring[3, 0], ring[3, 1] = 1.0, 1.0, 0.0, 1.0
    count = 4
    for side in range(3):
        v, f, g = (v0, f0, g0) if side == 0 else ((v1, f1, g1) if side == 1 else (v2, f2, g2))
        if v + min(f, 0.0) + min(g, 0.0) >= 0.0:
            continue
        kept = 0
        ax, ay = ring[count - 1, 0], ring[count - 1, 1]
        a = v + f * ax + g * ay
        for k in range(count):
            bx, by = ring[k, 0], ring[k, 1]
            b = v + f * bx + g * by
            if (a > 0.0) != (b > 0.0):
                t = a / (a - b)
                other[kept, 0], other[kept, 1] = ax + t * (bx - ax), ay + t * (by - ay)
                kept += 1
            if b > 0.0:
                other[kept, 0], other[kept, 1] = bx, by
                kept += 1
            ax, ay, a = bx, by, b
        count = kept
        if count < 3:
            return 0.0, 0.5, 0.5
        for k in range(count):
            ring[k, 0], ring[k, 1] = other[k, 0], other[k, 1]
    area, x, y = 0.0, 0.0, 0.0
    for k in range(1, count - 1):
        ux, uy = ring[k, 0] - ring[0, 0], ring[k, 1] - ring[0, 1]
        wx, wy = ring[k + 1, 0] - ring[0, 0], ring[k + 1, 1] - ring[0, 1]
        own = (ux * wy - uy * wx) / 2
        area += own
        x += own * (ux + wx) / 3
        y += own * (uy + wy) / 3
    if area <= 0.0:
        return 0.0, 0.5, 0.5
    return area, ring[0, 0] + x / area, ring[0, 1] + y / area


@kernel
def cut(xs, ys, many, v, f, g, in_x, in_y, out_x, out_y):  # type: ignore[no-untyped-def]
    """Cut a convex polygon, the first of xs and ys [n] (many), where v + f x + g y is 0: what lies where it is more goes into in_x and in_y, what lies
    where it is less into out_x and out_y, each with room for one corner more. Gives how many corners both have."""
    inside = outside = 0
    for i in range(many):
        j = i + 1 if i + 1 < many else 0
        here, there = v + f * xs[i] + g * ys[i], v + f * xs[j] + g * ys[j]
        if here >= 0.0:
            in_x[inside], in_y[inside] = xs[i], ys[i]
            inside += 1
        else:
            out_x[outside], out_y[outside] = xs[i], ys[i]
            outside += 1
        if (here >= 0.0) != (there >= 0.0):
            share = here / (here - there)
            x, y = xs[i] + share * (xs[j] - xs[i]), ys[i] + share * (ys[j] - ys[i])
            in_x[inside], in_y[inside] = x, y
            out_x[outside], out_y[outside] = x, y
            inside += 1
            outside += 1
    return inside, outside


@kernel
def measure(xs, ys, many):  # type: ignore[no-untyped-def]
    """Area of a convex polygon, the first of xs and ys [n] (many), and that times the place of its middle."""
    area, across, down = 0.0, 0.0, 0.0
    for i in range(1, many - 1):
        part = (xs[i] - xs[0]) * (ys[i + 1] - ys[0]) - (xs[i + 1] - xs[0]) * (ys[i] - ys[0])
        area += part
        across += part * (xs[0] + xs[i] + xs[i + 1])
        down += part * (ys[0] + ys[i] + ys[i + 1])
    if area < 0.0:
        area, across, down = -area, -across, -down
    return area / 2, across / 6, down / 6
