"""Drawn scenes with real physics: each is a function of time, so wrong speeds look wrong.

A scene draws the moment ``t`` (seconds of life) into a new picture of shape (height, width, 3), BGR, eight
bits. Coordinates are in units of the picture's height, so a scene looks the same at every raster.
"""

import math
from collections.abc import Callable
from functools import lru_cache

import cv2
import numpy as np
import numpy.typing as npt

from oddmeter.demo.framecode import Picture

Scene = Callable[[float, int, int], Picture]
Colour = tuple[int, int, int]

GRAVITY = 9.81
_SUBPIXEL = 4


class _Pen:
    """Draws anti-aliased shapes at sub-pixel places given in units of the picture's height."""

    def __init__(self, picture: Picture) -> None:
        self.picture = picture
        self.height: int = picture.shape[0]

    def point(self, x: float, y: float) -> tuple[int, int]:
        scale = self.height * (1 << _SUBPIXEL)
        return round(x * scale), round(y * scale)

    def size(self, width: float) -> int:
        return max(1, int(width * self.height + 0.5))

    def line(self, a: tuple[float, float], b: tuple[float, float], colour: Colour, width: float) -> None:
        cv2.line(self.picture, self.point(*a), self.point(*b), colour, self.size(width), cv2.LINE_AA, _SUBPIXEL)

    def disc(self, centre: tuple[float, float], radius: float, colour: Colour) -> None:
        r = max(1, round(radius * self.height * (1 << _SUBPIXEL)))
        cv2.circle(self.picture, self.point(*centre), r, colour, -1, cv2.LINE_AA, _SUBPIXEL)

    def polygon(self, corners: list[tuple[float, float]], colour: Colour) -> None:
        cv2.fillPoly(
            self.picture, [np.array([self.point(*c) for c in corners], np.int32)], colour, cv2.LINE_AA, _SUBPIXEL
        )


@lru_cache(maxsize=16)
def _ground(seed: int, width: int, height: int, low: Colour, high: Colour) -> Picture:
    """A soft, still texture between two colours, the same for the same seed."""
    noise = np.random.default_rng(seed).random((9, 16)).astype(np.float32)
    soft = np.clip(cv2.resize(noise, (width, height), interpolation=cv2.INTER_CUBIC), 0, 1)[..., None]
    blended: Picture = (np.array(low) + soft * (np.array(high) - np.array(low))).astype(np.uint8)
    return blended


@lru_cache(maxsize=1)
def _pendulum() -> npt.NDArray[np.float64]:
    """The angle of a bell of 0.9 m effective length, let go at 0.7 rad, every millisecond for half a minute."""
    length, step, angle, speed = 0.9, 0.001, 0.7, 0.0
    out = np.empty(30_000)
    for i in range(out.size):
        out[i] = angle
        speed -= GRAVITY / length * math.sin(angle) * step
        angle += speed * step
    return out


def bell(t: float, width: int, height: int) -> Picture:
    """The tide bell swinging from its beam: an unforced pendulum."""
    picture = _ground(11, width, height, (58, 50, 46), (96, 88, 80)).copy()
    pen = _Pen(picture)
    middle = width / height / 2
    angle = float(np.interp(t * 1000, np.arange(30_000), _pendulum()))
    sin, cos = math.sin(angle), math.cos(angle)

    def hung(x: float, y: float) -> tuple[float, float]:
        return middle + x * cos + y * sin, 0.12 - x * sin + y * cos

    pen.polygon([(0.1, 0.06), (2 * middle - 0.1, 0.06), (2 * middle - 0.1, 0.12), (0.1, 0.12)], (38, 62, 92))
    outline = [
        (-0.06, 0.1),
        (0.06, 0.1),
        (0.11, 0.2),
        (0.13, 0.38),
        (0.2, 0.52),
        (-0.2, 0.52),
        (-0.13, 0.38),
        (-0.11, 0.2),
    ]
    pen.line(hung(0, 0), hung(0, 0.12), (30, 44, 58), 0.03)
    pen.polygon([hung(*c) for c in outline], (54, 122, 168))
    pen.line(hung(-0.155, 0.45), hung(0.155, 0.45), (86, 160, 204), 0.012)
    pen.line(hung(-0.05, 0.14), hung(-0.09, 0.4), (110, 178, 216), 0.014)
    pen.disc(hung(-0.35 * angle * 0.2, 0.57), 0.035, (40, 60, 84))
    return picture


@lru_cache(maxsize=4)
def _sparks(seed: int) -> npt.NDArray[np.float64]:
    """Rows (born, x speed, y speed, life, brightness) for some hundreds of sparks over twelve seconds."""
    rng = np.random.default_rng(seed)
    count = 900
    born = np.sort(rng.uniform(-1.5, 12, count))
    side, up = rng.normal(0, 0.55, count), rng.uniform(1.0, 2.6, count)
    return np.stack([born, side, up, rng.uniform(0.5, 1.5, count), rng.uniform(0.5, 1, count)], axis=1)


def sparks(t: float, width: int, height: int) -> Picture:
    """Sparks thrown up where bronze meets the mould: ballistic flight with drag, streaked by the shutter."""
    picture = _ground(23, width, height, (22, 18, 26), (44, 36, 48)).copy()
    pen = _Pen(picture)
    middle = width / height / 2
    pen.polygon([(middle - 0.3, 0.82), (middle + 0.3, 0.82), (middle + 0.24, 1.0), (middle - 0.24, 1.0)], (40, 46, 60))
    pen.polygon([(middle - 0.2, 0.8), (middle + 0.2, 0.8), (middle + 0.2, 0.83), (middle - 0.2, 0.83)], (90, 190, 250))
    drag, shutter = 0.8, 0.004

    def place(age: float, side: float, up: float) -> tuple[float, float]:
        slowed = (1 - math.exp(-drag * age)) / drag
        fall = GRAVITY * 0.35 / drag * (age - slowed)
        return middle + side * slowed, 0.81 - up * slowed + fall

    for born, side, up, life, bright in _sparks(5):
        age = t - born
        if 0 <= age < life:
            heat = bright * (1 - age / life)
            colour = (int(60 * heat), int(90 + 140 * heat), 255)
            pen.line(place(age, side, up), place(age + shutter, side, up), colour, 0.006 + 0.006 * heat)
    return picture


def pour(t: float, width: int, height: int) -> Picture:
    """Molten bronze falling from the lip in drops that stretch as they fall freely."""
    picture = _ground(31, width, height, (26, 24, 34), (52, 46, 60)).copy()
    pen = _Pen(picture)
    middle = width / height / 2
    pen.polygon([(middle - 0.5, 0.05), (middle - 0.02, 0.14), (middle - 0.02, 0.2), (middle - 0.5, 0.24)], (52, 58, 74))
    interval, scale = 0.085, 0.3
    first = math.floor(t / interval)
    for index in range(first, first - 9, -1):
        age = t - index * interval
        fallen = 0.19 + scale * GRAVITY * age * age / 2
        if fallen > 0.93:
            continue
        stretch = 0.012 + scale * GRAVITY * age * 0.02
        sway = 0.012 * math.sin(index * 2.4)
        pen.line((middle + sway, fallen), (middle + sway, fallen + stretch), (70, 170, 252), 0.03)
    level = 0.93 + 0.004 * math.sin(2 * math.pi * 3 * t)
    pen.polygon([(middle - 0.35, level), (middle + 0.35, level), (middle + 0.3, 1), (middle - 0.3, 1)], (60, 140, 240))
    return picture


def clock(t: float, width: int, height: int) -> Picture:
    """The harbour clock: a second hand that turns once a minute, and a small hand that turns once a second."""
    picture = _ground(41, width, height, (92, 100, 96), (128, 136, 130)).copy()
    pen = _Pen(picture)
    x, y = width / height / 2, 0.47
    pen.disc((x, y), 0.36, (60, 58, 52))
    pen.disc((x, y), 0.34, (222, 230, 234))
    for hour in range(12):
        a = math.tau * hour / 12
        pen.line(
            (x + 0.29 * math.sin(a), y - 0.29 * math.cos(a)),
            (x + 0.32 * math.sin(a), y - 0.32 * math.cos(a)),
            (50, 48, 44),
            0.012,
        )
    for turn, reach, thick, colour in ((t / 60, 0.28, 0.012, (40, 36, 32)), (t, 0.16, 0.008, (44, 44, 170))):
        a = math.tau * turn
        pen.line((x, y), (x + reach * math.sin(a), y - reach * math.cos(a)), colour, thick)
    pen.disc((x, y), 0.02, (40, 36, 32))
    return picture


def boat(t: float, width: int, height: int) -> Picture:
    """A boat on deep-water waves, each running at the speed its length demands (ω² = g·k)."""
    picture = _ground(53, width, height, (196, 176, 150), (222, 208, 190)).copy()
    pen = _Pen(picture)
    aspect = width / height
    waves = ((0.9, 0.022, 0.0), (0.45, 0.012, 1.3), (0.2, 0.006, 2.1))

    def surface(x: float) -> float:
        total = 0.66
        for length, amplitude, phase in waves:
            k = math.tau / length
            total += amplitude * math.sin(k * x - math.sqrt(GRAVITY * 0.12 * k) * t + phase)
        return total

    x = 0.3 + 0.12 * t
    heel = (surface(x + 0.1) - surface(x - 0.1)) / 0.2
    keel = surface(x)

    def ship(dx: float, dy: float) -> tuple[float, float]:
        return x + dx - heel * dy, keel + dy + heel * dx

    pen.line(ship(0, 0), ship(0, -0.42), (40, 52, 70), 0.012)
    pen.polygon([ship(0.015, -0.4), ship(0.2, -0.06), ship(0.015, -0.06)], (222, 232, 236))
    pen.polygon([ship(-0.015, -0.36), ship(-0.13, -0.06), ship(-0.015, -0.06)], (120, 130, 196))
    pen.polygon([ship(-0.18, -0.035), ship(0.2, -0.035), ship(0.14, 0.05), ship(-0.14, 0.05)], (70, 60, 52))
    edge = [(i * aspect / 48, surface(i * aspect / 48)) for i in range(49)]
    pen.polygon([*edge, (aspect, 1.0), (0.0, 1.0)], (134, 108, 70))
    return picture


@lru_cache(maxsize=2)
def _quayside(width: int, height: int) -> Picture:
    """A long wall of stones, windows and bollards to pan along; four pictures wide."""
    rng = np.random.default_rng(67)
    picture = _ground(61, 4 * width, height, (120, 128, 134), (150, 158, 164)).copy()
    pen = _Pen(picture)
    aspect = width / height
    for row in range(7):
        x = -0.1 + 0.07 * (row % 2)
        while x < 4 * aspect:
            length = rng.uniform(0.12, 0.24)
            shade = int(rng.integers(84, 150))
            pen.polygon(
                [
                    (x, 0.3 + row * 0.09),
                    (x + length - 0.01, 0.3 + row * 0.09),
                    (x + length - 0.01, 0.38 + row * 0.09),
                    (x, 0.38 + row * 0.09),
                ],
                (shade, shade + 4, shade + 10),
            )
            x += length
    for house in range(12):
        x = house * 4 * aspect / 12
        tint = tuple(int(v) for v in rng.integers(90, 190, 3))
        pen.polygon(
            [(x, 0.3), (x, 0.1), (x + 0.12, 0.03), (x + 0.24, 0.1), (x + 0.24, 0.3)], (tint[0], tint[1], tint[2])
        )
        pen.polygon([(x + 0.07, 0.15), (x + 0.13, 0.15), (x + 0.13, 0.22), (x + 0.07, 0.22)], (60, 70, 80))
    return picture


def quay(t: float, width: int, height: int) -> Picture:
    """A steady pan along the quay wall, a third of a picture a second, to the sub-pixel."""
    shift = np.array([[1, 0, -width * t / 3], [0, 1, 0]], np.float32)
    return cv2.warpAffine(_quayside(width, height), shift, (width, height), flags=cv2.INTER_LINEAR).astype(np.uint8)


def gulls(t: float, width: int, height: int) -> Picture:
    """Gulls on circling flight, wings beating three times a second."""
    picture = _ground(71, width, height, (206, 186, 158), (232, 218, 200)).copy()
    pen = _Pen(picture)
    aspect = width / height
    for index in range(7):
        turn = math.tau * (t / 5.5 + index / 7)
        x, y = aspect / 2 + (0.3 + 0.05 * index) * math.cos(turn), 0.45 + 0.2 * math.sin(turn) + 0.02 * index
        lift = 0.05 * math.sin(math.tau * 3 * t + index)
        for side in (-1, 1):
            elbow = (x + side * 0.04, y - 0.02 - lift / 2)
            pen.line((x, y), elbow, (70, 66, 62), 0.011)
            pen.line(elbow, (x + side * 0.085, y - lift), (90, 84, 80), 0.009)
    pen.polygon([(0, 0.9), (aspect, 0.86), (aspect, 1), (0, 1)], (96, 88, 70))
    return picture


def lantern(t: float, width: int, height: int) -> Picture:
    """A lantern on a cord, winding and unwinding, with a metronome's arm before it at 60 beats a minute."""
    picture = _ground(83, width, height, (40, 36, 44), (66, 58, 64)).copy()
    pen = _Pen(picture)
    middle = width / height / 2
    twist = math.cos(math.tau * t / 4)
    half = 0.05 + 0.09 * abs(math.sin(math.tau * twist / 2))
    pen.line((middle, 0), (middle, 0.25), (90, 96, 104), 0.008)
    pen.polygon(
        [(middle - half, 0.25), (middle + half, 0.25), (middle + half, 0.55), (middle - half, 0.55)], (90, 196, 240)
    )
    pen.line((middle, 0.25), (middle, 0.55), (40, 60, 90), 0.012)
    angle = 0.5 * math.sin(math.pi * t)
    foot = (middle, 0.95)
    pen.line(foot, (foot[0] + 0.32 * math.sin(angle), foot[1] - 0.32 * math.cos(angle)), (186, 190, 196), 0.01)
    pen.disc((foot[0] + 0.24 * math.sin(angle), foot[1] - 0.24 * math.cos(angle)), 0.022, (60, 110, 170))
    return picture
