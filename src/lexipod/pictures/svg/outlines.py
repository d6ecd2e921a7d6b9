"""Shapes and paths as rings of chords, and the matrices that move them."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator
from functools import lru_cache
from typing import Any
from xml.etree.ElementTree import Element

import numpy as np
import shapely

from lexipod.geometry.frames import Array
from lexipod.pictures.svg.elements import NUMBER, number
from lexipod.pictures.svg.styles import Reading

SHAPES = {"path", "rect", "circle", "ellipse", "line", "polyline", "polygon"}
FINE = 1 / 2000
"""A curve leaves its chords by at most this share of the picture's size."""


def matrix_of(text: str) -> Array:
    """The matrix of a transform attribute.

    >>> matrix_of("translate(3 4) scale(2)") @ [1, 1, 1]
    array([5., 6., 1.])
    """
    out = np.eye(3)
    for name, inside in re.findall(r"(matrix|translate|scale|rotate|skewX|skewY)\s*\(([^)]*)\)", text):
        n = [float(v) for v in NUMBER.findall(inside)]
        if not all(math.isfinite(v) for v in n):
            raise ValueError(f"{text} is no transform")
        if name == "matrix":
            step = np.array([[n[0], n[2], n[4]], [n[1], n[3], n[5]], [0, 0, 1]])
        elif name == "translate":
            step = np.array([[1, 0, n[0]], [0, 1, n[1] if len(n) > 1 else 0.0], [0, 0, 1]])
        elif name == "scale":
            step = np.diag([n[0], n[1] if len(n) > 1 else n[0], 1.0])
        elif name == "rotate":
            cos, sin = math.cos(math.radians(n[0])), math.sin(math.radians(n[0]))
            step = np.array([[cos, -sin, 0], [sin, cos, 0], [0, 0, 1.0]])
            if len(n) == 3:
                there = np.array([[1, 0, n[1]], [0, 1, n[2]], [0, 0, 1.0]])
                back = np.array([[1, 0, -n[1]], [0, 1, -n[2]], [0, 0, 1.0]])
                step = there @ step @ back
        else:
            tan = math.tan(math.radians(n[0]))
            step = np.array([[1, tan, 0], [0, 1, 0], [0, 0, 1.0]]) if name == "skewX" else np.array([[1, 0, 0], [tan, 1, 0], [0, 0, 1.0]])
        out = out @ step
    return out


def _scale_of(matrix: Array) -> float:
    return math.sqrt(abs(float(np.linalg.det(matrix[:2, :2])))) or 1e-9


def put(matrix: Array, points: Array) -> Array:
    """Points ``(n, 2)`` moved by a matrix ``(3, 3)``."""
    put: Array = points @ matrix[:2, :2].T + matrix[:2, 2]
    return put


def moved(region: Any, matrix: Array) -> Any:
    """A region moved by a matrix ``(3, 3)``."""
    return shapely.transform(region, lambda xy: put(matrix, xy))


def rings_of(element: Element, tag: str, matrix: Array, reading: Reading) -> list[tuple[Array, bool]]:
    """The outlines of a shape in its own user units, and whether each is closed."""
    wide, high = reading.box

    def n(name: str, usual: float = 0.0, whole: float = wide) -> float:
        return number(element.get(name), usual, whole=whole)

    fine = reading.fine / _scale_of(matrix)
    if tag == "path":
        return list(path_rings(element.get("d", ""), fine))
    if tag == "rect":
        x, y, w, h = n("x"), n("y", whole=high), n("width"), n("height", whole=high)
        rx, ry = n("rx", -1.0), n("ry", -1.0)
        rx, ry = (ry if rx < 0 else rx), (rx if ry < 0 else ry)
        if w <= 0 or h <= 0:
            return []
        if rx <= 0 or ry <= 0:
            return [(np.array([[x, y], [x + w, y], [x + w, y + h], [x, y + h]]), True)]
        rx, ry = min(rx, w / 2), min(ry, h / 2)
        d = (
            f"M{x + rx} {y}H{x + w - rx}A{rx} {ry} 0 0 1 {x + w} {y + ry}V{y + h - ry}A{rx} {ry} 0 0 1 {x + w - rx} {y + h}"
            f"H{x + rx}A{rx} {ry} 0 0 1 {x} {y + h - ry}V{y + ry}A{rx} {ry} 0 0 1 {x + rx} {y}Z"
        )
        return list(path_rings(d, fine))
    if tag in ("circle", "ellipse"):
        rx, ry = (n("r"), n("r")) if tag == "circle" else (n("rx"), n("ry", whole=high))
        if rx <= 0 or ry <= 0:
            return []
        turn = np.linspace(0, 2 * math.pi, _arc_steps(max(rx, ry), 2 * math.pi, fine) + 1)[:-1]
        return [(np.column_stack([n("cx") + rx * np.cos(turn), n("cy", whole=high) + ry * np.sin(turn)]), True)]
    if tag == "line":
        return [(np.array([[n("x1"), n("y1", whole=high)], [n("x2"), n("y2", whole=high)]]), False)]
    points = np.array([float(v) for v in NUMBER.findall(element.get("points", ""))])
    points = points[: len(points) // 2 * 2].reshape(-1, 2)
    return [(points, tag == "polygon")] if len(points) >= 2 else []


def _arc_steps(radius: float, angle: float, fine: float) -> int:
    largest = 2 * math.acos(max(-1.0, 1 - min(1.0, fine / max(radius, 1e-12)))) or 0.1
    return max(4, min(720, math.ceil(abs(angle) / largest)))


def path_rings(d: str, fine: float) -> Iterator[tuple[Array, bool]]:
    """The pieces of a path as chords, and whether each is closed."""
    import svgelements

    points: list[Array] = []
    is_closed = False
    for segment in svgelements.Path(d):
        kind = type(segment).__name__
        if kind == "Move":
            if len(points) > 1:
                yield np.array(points), is_closed
            points, is_closed = [], False
        if kind == "Close":
            is_closed = True
            if len(points) > 1:
                yield np.array(points), True
            points = [np.array([float(segment.end.x), float(segment.end.y)])] if segment.end is not None else []
            continue
        if kind in ("Move", "Line"):
            if segment.end is not None:
                points.append(np.array([float(segment.end.x), float(segment.end.y)]))
            continue
        points += list(_curve(segment, kind, fine))
    if len(points) > 1:
        yield np.array(points), False


def _curve(segment: Any, kind: str, fine: float) -> Array:
    """Points along a curved segment, without its start."""
    if kind == "Arc":
        steps = _arc_steps(max(abs(float(segment.rx)), abs(float(segment.ry))), abs(float(segment.sweep)), fine)
        return np.asarray(segment.npoint(np.arange(1, steps + 1) / steps), dtype=float)
    names = ("start", "control", "end") if kind == "QuadraticBezier" else ("start", "control1", "control2", "end")
    p = [(float(at.x), float(at.y)) for at in (getattr(segment, n) for n in names)]
    bend = max(abs(p[k][i] - 2 * p[k + 1][i] + p[k + 2][i]) for k in range(len(p) - 2) for i in (0, 1))
    steps = max(2, min(64, math.ceil(math.sqrt(bend / max(fine, 1e-12))))) if math.isfinite(bend) else 2
    points: Array = _weights(len(p) - 1, steps) @ np.array(p)
    return points


@lru_cache(maxsize=256)
def _weights(degree: int, steps: int) -> Array:
    """What each control point of a Bézier curve counts at even steps along it, without its start ``(steps, degree + 1)``."""
    t = np.arange(1, steps + 1) / steps
    return np.column_stack([math.comb(degree, k) * (1 - t) ** (degree - k) * t**k for k in range(degree + 1)])
