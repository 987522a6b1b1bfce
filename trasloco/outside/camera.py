"""The camera that a picture was taken with, found from places of the scene that are known in it.

Pinhole with square pixels (Hartley and Zisserman 2004, chapter 6), where the points show it with a frame cut
off the middle, and with one radial term of the lens (Brown 1966): q = f (1 + k r^2) (x, y) / -z + q0.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt
from scipy.optimize import least_squares
from scipy.spatial.transform import Rotation

from trasloco.errors import Refused
from trasloco.outside.registering import Floats, sampled
from trasloco.render.picture import View
from trasloco.scene.model import Doubles
from trasloco.scene.transforms import looking

LEAST_POINTS = 6
_PRESSED_PX = 0.5
"""How well a place can be pressed at best: no model is preferred for fitting better than that."""
_FAR_OFF = 4.0
"""A point counts as pressed wrongly that lies so many times as far off as the usual one."""
_LEAST_OFF_PX = 4.0
_ANGLES = np.radians([8.0, 15, 25, 40, 60, 85])
_TRIED, _FOLLOWED, _SHORT = 12, 2, 30
"""How many starts are tried, how many of them are followed to the end, and how often the others are
evaluated.
"""
_FORMS = ((), ("shift",), ("bend",), ("shift", "bend"))
"""What may be found beside place, direction and angle, the simplest first."""
_MOST_OFF = 0.12
"""Mean error, as a share of the height, from which on points and scene have nothing to do with one another.
"""


@dataclass(frozen=True)
class FoundCamera:
    """A camera.

    Attributes:
        matrix: (4, 4) camera to world, looking along -Z. yfov_rad: full vertical angle of the picture.
        shift: by which share of the picture's width and height its frame lies right of and below the middle
            that the lens looks at. bend: the radial term k, r in heights of the frame at distance one.
        rms_px: root mean square distance of the points that count from where they were pressed, in pixels of
            the picture. off_px: (N,) of each point. unsure_m: standard deviation of its place in metres.
    """

    matrix: Doubles
    yfov_rad: float
    shift: tuple[float, float] = (0.0, 0.0)
    bend: float = 0.0
    rms_px: float = 0.0
    off_px: tuple[float, ...] = ()
    unsure_m: float = 0.0

    @property
    def doubtful(self) -> tuple[int, ...]:
        """Points, from 0, that lie much farther off than the others."""
        usual = float(np.median(self.off_px)) if self.off_px else 0.0
        limit = max(_FAR_OFF * usual, _LEAST_OFF_PX)
        return tuple(k for k, off in enumerate(self.off_px) if off > limit)

    def view(self, name: str, aspect: float) -> View:
        """What is seen through it, without the bend of its lens, in a frame of some width for its height."""
        return View(name, self.matrix, self.yfov_rad, aspect=aspect, shift=self.shift)


def projected(camera: FoundCamera, world: Doubles, width: int, height: int) -> Doubles:
    """Where places (N, 3) lie in a picture: (N, 2) pixels right and down from its corner; nan behind it."""
    seen = (world - camera.matrix[:3, 3]) @ camera.matrix[:3, :3]
    ahead = -seen[:, 2]
    with np.errstate(divide="ignore", invalid="ignore"):
        flat = np.where(ahead[:, None] > 1e-9, seen[:, :2] / ahead[:, None], np.nan)
    bent = flat * (1 + camera.bend * (flat**2).sum(axis=1, keepdims=True))
    q = bent / math.tan(camera.yfov_rad / 2)
    right, down = camera.shift
    x = q[:, 0] * height / 2 + width / 2 - right * width
    y = -q[:, 1] * height / 2 + height / 2 - down * height
    return np.stack([x, y], axis=-1)


def camera_from_points(
    world: Doubles, pixels: Doubles, width: int, height: int, near: FoundCamera | None = None
) -> FoundCamera:
    """The camera that sees places (N, 3) in metres at pixels (N, 2), right and down from the picture's
    corner; looked for about ``near`` where that is known.

    A single point that was pressed wrongly is borne, and told by :attr:`FoundCamera.doubtful`.

    Raises:
        Refused: too few points, all on one line, or no camera sees them like that.
    """
    if len(world) < LEAST_POINTS:
        raise Refused(
            "A camera needs more points.",
            f"{len(world)} of {LEAST_POINTS}",
            "Press more places on both, spread over the picture and at different distances.",
        )
    for places, words in ((world, "on the model"), (pixels, "in the picture")):
        spread = np.linalg.svd(places - places.mean(axis=0), compute_uv=False)
        if not np.isfinite(places).all() or spread[1] < 1e-3 * max(float(spread[0]), 1e-12):
            raise Refused(
                "The points lie on one line.",
                words,
                "Press places beside it as well, spread over the picture.",
            )
    seen = np.stack([(pixels[:, 0] - width / 2), -(pixels[:, 1] - height / 2)], axis=-1) / (height / 2)
    starts = _starts(world, seen) if near is None else [_values(near)]
    best: _Solved | None = None
    plain = _solved(starts, world, seen, (), height)
    for form in _FORMS:
        if len(_numbers(form)) + 7 + 2 > 2 * len(world):
            continue
        made = plain if not form else _solved([plain.values], world, seen, form, height)
        if best is None or made.score < best.score:
            best = made
    assert best is not None
    found = _camera(best, world, pixels, width, height)
    if not np.isfinite(found.rms_px) or found.rms_px > _MOST_OFF * height:
        raise Refused(
            "No camera sees the points like that.",
            f"{found.rms_px:.0f} pixels off" if np.isfinite(found.rms_px) else "they lie behind it",
            "Look whether each place on the model is the one pressed in the picture.",
        )
    return found


@dataclass(frozen=True)
class _Solved:
    """Values: turn (3) as a rotation vector, place (3), log of f, then what the form adds."""

    values: Doubles
    form: Sequence[str]
    score: float
    spread: Doubles


def _numbers(form: Sequence[str]) -> list[str]:
    return [name for part in form for name in {"shift": ("right", "down"), "bend": ("k",)}[part]]


def _seen(values: Doubles, form: Sequence[str], world: Doubles) -> Doubles:
    """Places (N, 3) in the picture (..., N, 2), in half heights right and up, by values (..., V)."""
    local = (world - values[..., None, 3:6]) @ _turns(values[..., :3])
    # What is behind is far off, and farther the more it is.
    ahead = np.maximum(-local[..., 2], 1e-3 * (1 + np.abs(local[..., 2])))
    flat = local[..., :2] / ahead[..., None]
    more = {name: values[..., 7 + k, None] for k, name in enumerate(_numbers(form))}
    made = np.exp(values[..., 6, None, None]) * flat
    if "k" in more:
        made = made * (1 + more["k"][..., None] * (flat**2).sum(axis=-1, keepdims=True))
    if "right" in more:
        made = made + np.stack([more["right"], more["down"]], axis=-1)
    return np.asarray(made)


def _turns(vectors: Doubles) -> Doubles:
    """Rotation vectors (..., 3) as matrices (..., 3, 3) (Rodrigues)."""
    angle = np.linalg.norm(vectors, axis=-1)[..., None, None]
    x, y, z = np.moveaxis(vectors, -1, 0)
    nothing = np.zeros_like(x)
    across = np.stack([nothing, -z, y, z, nothing, -x, -y, x, nothing], axis=-1).reshape(*x.shape, 3, 3)
    small = np.maximum(angle, 1e-12)
    return np.asarray(
        np.eye(3) + np.sin(small) / small * across + (1 - np.cos(small)) / small**2 * (across @ across)
    )


def _solved(
    starts: Sequence[Doubles], world: Doubles, seen: Doubles, form: Sequence[str], height: int
) -> _Solved:
    scale = 2 / height  # one pixel in half heights

    def off(values: Doubles) -> Doubles:
        return np.asarray(((_seen(values, form, world) - seen) / scale).ravel())

    def slopes(values: Doubles) -> Doubles:
        """By differences, all at once."""
        step = 1e-6 * np.maximum(np.abs(values), 1.0)
        around = values + np.concatenate([np.diag(step), np.diag(-step)])
        ahead, behind = np.split(_seen(around, form, world), 2)
        return np.asarray(((ahead - behind) / (2 * step[:, None, None]) / scale).reshape(len(values), -1).T)

    # Each start is followed a little way, the nearest two to the end.
    begun = [np.concatenate([start[:7], np.zeros(len(_numbers(form)))]) for start in starts]
    if len(begun) > _FOLLOWED:
        tried = [least_squares(off, values, slopes, method="lm", max_nfev=_SHORT) for values in begun]
        begun = [one.x for one in sorted(tried, key=lambda one: float(one.cost))[:_FOLLOWED]]
    best = None
    for values in begun:
        made = least_squares(
            off,
            values,
            slopes,  # type: ignore[arg-type]
            loss="soft_l1",
            f_scale=3.0,
            x_scale="jac",
            max_nfev=200,
        )
        if best is None or made.cost < best.cost:
            best = made
    assert best is not None
    count, free = seen.size, len(best.x)
    # Akaike's criterion for few observations (Hurvich and Tsai 1989), on the robust cost.
    cost = 2 * best.cost / count + _PRESSED_PX**2
    score = count * math.log(cost) + 2 * free + 2 * free * (free + 1) / max(count - free - 1, 0.5)
    normal = np.asarray(best.jac).T @ np.asarray(best.jac)
    variance = 2 * best.cost / max(count - free, 1)
    return _Solved(best.x, form, score, np.linalg.pinv(normal) * variance)


def _values(camera: FoundCamera) -> Doubles:
    turn = Rotation.from_matrix(camera.matrix[:3, :3]).as_rotvec()
    return np.array([*turn, *camera.matrix[:3, 3], -math.log(math.tan(camera.yfov_rad / 2))])


def _starts(world: Doubles, seen: Doubles) -> list[Doubles]:
    """Where to begin: the linear solution where the points allow it, and cameras all round under which the
    places lie about like that, as if they were far away.
    """
    made = _linear(world, seen)
    centre = world.mean(axis=0)
    size = float(np.linalg.norm(world - centre, axis=1).max())
    ranked: list[tuple[float, Doubles]] = []
    for direction in _all_round():
        turn = looking(list(direction), (0, 0, 0))[:3, :3]
        local = (world - centre) @ turn
        a, b = local[:, 0] + 1j * local[:, 1], seen[:, 0] + 1j * seen[:, 1]
        a, offset = a - a.mean(), b.mean()
        factor = (np.conj(a) @ (b - offset)) / max(float((np.abs(a) ** 2).sum()), 1e-18)
        if abs(factor) < 1e-12:
            continue
        rolled = turn @ Rotation.from_euler("z", -float(np.angle(factor))).as_matrix()
        for angle in _ANGLES:
            f = 1 / math.tan(angle / 2)
            far = f / abs(factor)
            back = np.array([-offset.real / f, -offset.imag / f, 1.0]) * far
            values = np.concatenate(
                [Rotation.from_matrix(rolled).as_rotvec(), centre + rolled @ back, [math.log(f)]]
            )
            error = float(np.linalg.norm(_seen(values, (), world) - seen, axis=1).mean())
            ranked.append((error if far > size * 0.3 else error + 1, values))
    ranked.sort(key=lambda one: one[0])
    return [*made, *(values for _, values in ranked[: _FOLLOWED if made else _TRIED])]


def _all_round(count: int = 96) -> Doubles:
    """Directions (N, 3) evenly round a ball, by the golden angle."""
    k = np.arange(count) + 0.5
    up = 1 - 2 * k / count
    round_ = math.pi * (1 + 5**0.5) * k
    flat = np.sqrt(1 - up**2)
    return np.stack([flat * np.cos(round_), up, flat * np.sin(round_)], axis=-1)


def _linear(world: Doubles, seen: Doubles) -> list[Doubles]:
    """The direct linear solution (Hartley and Zisserman 2004, algorithm 7.1); none where all places lie about
    in one plane.
    """
    middle, spread = world.mean(axis=0), float(np.linalg.norm(world - world.mean(axis=0), axis=1).mean())
    near = (world - middle) / max(spread, 1e-12)
    flatness = np.linalg.svd(near, compute_uv=False)
    if flatness[2] < 0.05 * flatness[0]:
        return []
    full = np.concatenate([near, np.ones((len(near), 1))], axis=1)
    nothing = np.zeros_like(full)
    rows = np.concatenate(
        [
            np.concatenate([full, nothing, -seen[:, :1] * full], axis=1),
            np.concatenate([nothing, full, -seen[:, 1:] * full], axis=1),
        ]
    )
    p = np.linalg.svd(rows)[2][-1].reshape(3, 4)
    p = p @ np.block([[np.eye(3) / spread, -middle[:, None] / spread], [np.zeros((1, 3)), np.ones((1, 1))]])
    if np.mean(np.concatenate([world, np.ones((len(world), 1))], axis=1) @ p[2]) < 0:
        p = -p  # depth is positive ahead
    from scipy.linalg import rq

    k, r = rq(p[:, :3])
    signs = np.diag(np.sign(np.diag(k)))
    k, r = k @ signs, signs @ r
    if np.linalg.det(r) < 0:
        return []
    eye = -np.linalg.solve(p[:, :3], p[:, 3])
    f = float((k[0, 0] + k[1, 1]) / 2 / k[2, 2])
    if not 0.05 < f < 200:
        return []
    # Rows of r are right, up and ahead; ours looks along -Z, which turns the hand of the last two.
    turn = np.stack([r[0], r[1], -r[2]], axis=1)
    if np.linalg.det(turn) < 0:
        return []
    return [np.concatenate([Rotation.from_matrix(turn).as_rotvec(), eye, [math.log(f)]])]


def straightened(picture: Floats, camera: FoundCamera) -> tuple[Floats, npt.NDArray[np.bool_]]:
    """A picture (H, W, 3) without the bend of its lens, and where it reaches."""
    height, width = picture.shape[:2]
    if camera.bend == 0:
        return picture, np.ones((height, width), bool)
    right, down = camera.shift
    slope = math.tan(camera.yfov_rad / 2)
    y, x = np.mgrid[0:height, 0:width] + 0.5
    middle = np.array([width / 2 - right * width, height / 2 - down * height])
    flat = np.stack([x - middle[0], y - middle[1]]) * slope / (height / 2)
    longer = 1 + camera.bend * (flat**2).sum(axis=0)
    rows, columns = (y - middle[1]) * longer + middle[1] - 0.5, (x - middle[0]) * longer + middle[0] - 0.5
    return sampled(picture, rows, columns)


def _camera(best: _Solved, world: Doubles, pixels: Doubles, width: int, height: int) -> FoundCamera:
    values, more = best.values, dict(zip(_numbers(best.form), best.values[7:], strict=True))
    matrix = np.eye(4)
    matrix[:3, :3] = Rotation.from_rotvec(values[:3]).as_matrix()
    matrix[:3, 3] = values[3:6]
    f = math.exp(values[6])
    shift = (-more.get("right", 0.0) * height / 2 / width, more.get("down", 0.0) / 2)
    found = FoundCamera(matrix, 2 * math.atan(1 / f), shift, more.get("k", 0.0))
    off = np.linalg.norm(projected(found, world, width, height) - pixels, axis=1)
    told = replace(
        found,
        off_px=tuple(float(v) for v in off),
        unsure_m=float(math.sqrt(max(np.trace(best.spread[3:6, 3:6]), 0.0))),
    )
    counted = np.delete(off, told.doubtful)
    return replace(told, rms_px=float(np.sqrt((counted**2).mean())) if len(counted) else float("inf"))
