"""The defect of a network, found in the scaled normal matrix and put into words."""

from dataclasses import dataclass

import numpy as np
from scipy.linalg import subspace_angles

from kardo.core.accuracy.banded import BorderedFactor, NotPositive, factor, scale_to_unit
from kardo.core.accuracy.camera import INTERIOR, rotations
from kardo.core.accuracy.network import Network
from kardo.core.accuracy.normals import Normals
from kardo.core.arrays import Floats

LIFT = 1e-9  # added to the unit diagonal so that the factor of a singular matrix exists
NULL = 1e-12  # eigenvalue of the scaled matrix below which a direction counts as undetermined
LIKENESS = 0.9  # share of a named direction that must lie in the null space before it is named
MOST = 12  # directions looked for


@dataclass(frozen=True)
class Defect:
    """One thing that the network does not determine."""

    kind: str
    words: str
    mend: str

    def to_json(self) -> dict[str, str]:
        return {"kind": self.kind, "words": self.words, "mend": self.mend}


def explain(net: Network, formed: Normals) -> list[Defect]:
    """The undetermined combinations of a network, in words; empty if it is regular after all.

    formed is overwritten. The null space comes from inverse iteration on the scaled matrix, lifted by 1e-9.
    """
    if not formed.band.shape[0]:
        return [_no_exposures()]
    empty = _empty_columns(net, formed)
    scale = np.sqrt(np.maximum(_diagonal(formed), 1e-300))
    vectors = _null_space(formed)
    if not vectors.size:
        return empty
    named = _named_directions(net, formed, scale)
    found, rest = list(empty), vectors
    for kind, words, mend, direction in named:
        if rest.size and np.cos(subspace_angles(rest, direction)[-1]) > LIKENESS:
            found.append(Defect(kind, words, mend))
            rest = _without(rest, direction)
    if rest.size:
        found.append(_by_largest(net, formed, rest))
    return _merge_datum(found)


def _no_exposures() -> Defect:
    return Defect(
        "no exposures",
        "No exposure can be oriented: each sees fewer than six tie points.",
        "Raise the overlap, or fly over ground that the images can be tied on.",
    )


def _diagonal(formed: Normals) -> Floats:
    return np.r_[formed.band[:, 0], np.diag(formed.corner)]


def _empty_columns(net: Network, formed: Normals) -> list[Defect]:
    """Unknowns that no observation and no prior touches; they are pinned so that the rest can be examined."""
    diagonal = np.diag(formed.corner)
    found = []
    for name, columns, mend in _border_groups(net):
        if (diagonal[columns] <= 0).any():
            found.append(Defect("unused", f"Nothing observes the {name}.", mend))
    for column in np.flatnonzero(diagonal <= 0):
        formed.corner[column, column] = 1.0
    return found


def _border_groups(net: Network) -> list[tuple[str, slice, str]]:
    k = len(net.f_px)
    cameras = [
        (
            f"camera {c + 1}" if k > 1 else "camera",
            slice(7 * c, 7 * c + 7),
            "Remove the camera, or plan exposures with it.",
        )
        for c in range(k)
    ]
    shifts = [
        (
            f"shift of {name}",
            slice(7 * k + 3 * s, 7 * k + 3 * s + 3),
            "Give it a standard deviation, tie it to a surveyed mark, or remove it.",
        )
        for s, name in enumerate(net.shift_names)
    ]
    return cameras + shifts


def _null_space(formed: Normals) -> Floats:
    """Orthonormal null vectors (n + b, k) of the matrix scaled to a unit diagonal; formed is left scaled."""
    band, border, corner = formed.band, formed.border, formed.corner
    scale_to_unit(band, border, corner)
    for lift in (LIFT, 1e3 * LIFT):  # rounding can cost more than the small lift in a very long block
        lifted = band.copy()
        lifted[:, 0] += lift
        try:
            solved = factor(lifted, border.copy(), corner + lift * np.eye(len(corner)))
        except NotPositive:
            continue
        vectors = _inverse_iteration(solved, *border.shape)
        values, turn = np.linalg.eigh(vectors.T @ _multiply(band, border, corner, vectors))
        return vectors @ turn[:, values < max(NULL, 1e-15 * len(band))]
    return np.zeros((sum(border.shape), 0))


def _inverse_iteration(solved: BorderedFactor, n: int, b: int) -> Floats:
    rng = np.random.default_rng(11)
    vectors, _ = np.linalg.qr(rng.standard_normal((n + b, min(MOST, n + b))))
    for _ in range(4):
        top, bottom = np.ascontiguousarray(vectors[:n]), np.ascontiguousarray(vectors[n:])
        vectors, _ = np.linalg.qr(np.vstack(solved.backward(*solved.forward(top, bottom))))
    return vectors


def _multiply(band: Floats, border: Floats, corner: Floats, v: Floats) -> Floats:
    n = band.shape[0]
    out = np.vstack([border @ v[n:], border.T @ v[:n] + corner @ v[n:]])
    for k in range(band.shape[1]):
        column = band[: n - k, k, None]
        out[k:n] += column * v[: n - k]
        if k:
            out[: n - k] += column * v[k:n]
    return out


def _named_directions(net: Network, formed: Normals, scale: Floats) -> list[tuple[str, str, str, Floats]]:
    """Directions that have a name in the trade, in the scaled coordinates of the null space.

    Single unknowns and single exposures first, so that a datum defect does not swallow them.
    """
    n = formed.band.shape[0]
    out: list[tuple[str, str, str, Floats]] = []
    for name, columns, mend in _border_groups(net):
        if name.startswith("shift"):
            unit = np.zeros((n + len(formed.corner), 3))
            unit[n + columns.start : n + columns.stop] = np.eye(3)
            out.append(("shift", f"The {name} is tied to nothing that fixes it.", mend, unit))
    for kind, words, mend, moves in _block_motions(net, formed):
        out.append((kind, words, mend, (moves * scale)[:, None]))
    return [(k, w, m, v / np.linalg.norm(v, axis=0)) for k, w, m, v in out if (np.linalg.norm(v, axis=0) > 0).all()]


DATUM_MEND = "Give camera positions from corrections, or survey at least three targets that are not in one line."


def _block_motions(net: Network, formed: Normals) -> list[tuple[str, str, str, Floats]]:
    """Changes of all exposures together: shift, turn and scale of the whole block, and focal length against height."""
    order = formed.order
    c, r = net.c[order], rotations(net.ypr)[order]
    centred = c - net.x.mean(axis=0)
    b = len(formed.corner)
    out = []
    for a, axis in enumerate(("east", "north", "height")):
        move = _motion(np.zeros_like(c), np.tile(np.eye(3)[a], (len(c), 1)), r, b)
        out.append(("datum", f"Nothing fixes the block in {axis}.", DATUM_MEND, move))
        for s in range(len(net.shift_names)):
            with_shift = move.copy()
            with_shift[6 * len(c) + 7 * len(net.f_px) + 3 * s + a] = -1.0
            words = f"Nothing fixes the block in {axis}: it hangs on {net.shift_names[s]}, whose own error is unknown."
            out.append(("datum", words, DATUM_MEND, with_shift))
    for a, axis in enumerate(("tilt about the east axis", "tilt about the north axis", "turn about the vertical")):
        turn = np.tile(np.eye(3)[a], (len(c), 1))
        out.append(
            ("datum", f"Nothing fixes the block's {axis}.", DATUM_MEND, _motion(turn, np.cross(turn, centred), r, b))
        )
    out.append(("datum", "Nothing fixes the scale of the block.", DATUM_MEND, _motion(np.zeros_like(c), centred, r, b)))
    focal = _motion(np.zeros_like(c), np.zeros_like(c), r, b)
    focal[5 : 6 * len(c) : 6] = centred[:, 2] / net.f_px[0]
    focal[6 * len(c)] = 1.0
    out.append(
        (
            "focal length",
            "Nothing separates the focal length from the flying height: straight-down images over ground "
            "this flat cannot.",
            "Calibrate the camera, add an oblique or a crossing strip at another height, or use "
            "camera positions with targets.",
            focal,
        )
    )
    return out


def _motion(turn: Floats, move: Floats, r: Floats, border: int) -> Floats:
    """One direction over all unknowns. A turn w of the block changes attitude by -R w about the camera axes."""
    attitude = -np.einsum("nij,nj->ni", r, turn)
    return np.r_[np.hstack([attitude, move]).ravel(), np.zeros(border)]


def _without(vectors: Floats, direction: Floats) -> Floats:
    """What is left of a null space once a direction in it has been named."""
    q, _ = np.linalg.qr(direction)
    rest = vectors - q @ (q.T @ vectors)
    u, s, _ = np.linalg.svd(rest, full_matrices=False)
    return u[:, s > 0.5]


def _by_largest(net: Network, formed: Normals, vectors: Floats) -> Defect:
    """Words for a combination that has no name: the unknowns that take the largest part in it."""
    weight = (vectors**2).sum(axis=1)
    n = formed.band.shape[0]
    cameras = 7 * len(net.f_px)
    per_exposure = weight[:n].reshape(-1, 6).sum(axis=1)
    names = [(per_exposure[p], f"exposure {formed.order[p]}") for p in np.argsort(-per_exposure)[:3]]
    names += [(w, INTERIOR[k % 7]) for k, w in enumerate(weight[n : n + cameras])]
    names += [(w, net.shift_names[k // 3]) for k, w in enumerate(weight[n + cameras :])]
    largest = [name for w, name in sorted(names, reverse=True)[:4] if w > 0.02]
    count = vectors.shape[1]
    return Defect(
        "combination",
        f"{count} combination{'s' if count > 1 else ''} of unknowns cannot be determined; the largest parts are "
        f"in {', '.join(dict.fromkeys(largest)) or 'all exposures'}.",
        "Add overlap, targets or camera positions where these lie, or give the parameter a prior.",
    )


def _merge_datum(found: list[Defect]) -> list[Defect]:
    """Seven datum defects together are one: there is no datum."""
    datum = [d for d in found if d.kind == "datum"]
    if len(datum) < 7:
        return found
    whole = Defect(
        "datum", "There is no datum: nothing fixes where the block lies, how it is turned, or its scale.", DATUM_MEND
    )
    return [whole, *(d for d in found if d.kind != "datum")]
