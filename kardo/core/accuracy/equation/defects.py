"""The defect of a network, found in the scaled normal matrix and put into words."""

from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from kardo.core.accuracy.equation.banded import BorderedFactor, NotPositive, factor, scale_by
from kardo.core.accuracy.equation.network import Network
from kardo.core.accuracy.equation.normals import Normals
from kardo.core.arrays import Floats, Ints
from kardo.core.flight.ground.imaging import INTERIOR, rotations
from kardo.core.plan.naming import reference

LIFT = 1e-9  # added to the unit diagonal so that the factor of a singular matrix exists
NULL = 1e-12  # eigenvalue of the scaled matrix below which a direction counts as undetermined
CERTAIN = 1 - 1e-6  # cosine at which a motion of the datum lies in the null space
LIKENESS = 0.99  # the same for other named directions, which hold exactly only for an ideal block
MOST = 28  # directions looked for: four blocks without a datum


@dataclass(frozen=True)
class Defect:
    """One thing that the network does not determine. The words refer to things of the plan by kind and id
    (kardo.core.plan.naming)."""

    kind: str
    words: str
    mend: str


def explain(net: Network, formed: Normals) -> list[Defect]:
    """The undetermined combinations of a network, in words; empty if it is regular after all.

    formed is overwritten. The null space comes from inverse iteration on the scaled matrix, lifted by 1e-9."""
    if not formed.band.shape[0]:
        return [_no_exposures()]
    empty = _empty_columns(net, formed)
    scale = np.sqrt(formed.diagonal)
    vectors = _null_space(formed)
    if not vectors.size:
        return empty
    found = list(empty)
    datum, rest = _datum_defect(net, formed, scale, vectors)
    found += datum
    for kind, words, mend, direction in _named_directions(net, formed, scale):
        if rest.size and _lies_in(direction, rest):
            found.append(Defect(kind, words, mend))
            rest = _without(rest, direction)
    if rest.size:
        found.append(_by_largest(net, formed, rest))
    return found


def _no_exposures() -> Defect:
    return Defect(
        "no exposures",
        "No exposure can be oriented: each sees fewer than six tie points.",
        "Raise the overlap, or fly over ground that the images can be tied on.",
    )


def _empty_columns(net: Network, formed: Normals) -> list[Defect]:
    """Unknowns that no observation and no prior touches; they are pinned so that the rest can be examined."""
    n = formed.band.shape[0]
    diagonal = formed.diagonal[n:]
    found = []
    for name, columns, mend in _border_groups(net):
        if (diagonal[columns] <= 0).any():
            found.append(Defect("unused", f"Nothing observes the {name}.", mend))
    for column in np.flatnonzero(diagonal <= 0):
        formed.corner[column, column] = diagonal[column] = 1.0
    return found


def _border_groups(net: Network) -> list[tuple[str, slice, str]]:
    k = len(net.f_px)
    cameras = [
        (
            f"camera {reference('camera', net.cameras[c])}" if k > 1 else "camera",
            slice(7 * c, 7 * c + 7),
            "Remove the camera, or plan exposures with it.",
        )
        for c in range(k)
    ]
    shifts = [
        (f"shift of {name}", slice(7 * k + 3 * s, 7 * k + 3 * s + 3), SHIFT_MEND)
        for s, name in enumerate(net.shift_names)
    ]
    return cameras + shifts


def _null_space(formed: Normals) -> Floats:
    """Orthonormal null vectors (n + b, k) of the matrix scaled to a unit diagonal; formed is left scaled."""
    band, border, corner = formed.band, formed.border, formed.corner
    scale_by(formed.diagonal, band, border, corner)
    for lift in (LIFT, 1e3 * LIFT):  # rounding can cost more than the small lift in a very long block
        lifted = band.copy()
        lifted[:, 0] += lift
        try:
            solved = factor(lifted, border.copy(), corner + lift * np.eye(len(corner)), np.ones(len(formed.diagonal)))
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
        vectors, _ = np.linalg.qr(np.vstack(solved.backward(*solved.forward(top, bottom)[:2])))
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


DATUM_MEND = "Give camera positions from corrections, or survey at least three control points that are not in one line."


def _similarity(net: Network, formed: Normals, members: Ints) -> Floats:
    """The seven motions of a rigid block that may also change its size, (n + b, 7): shifts, turns and scale. members
    are the places in the band of the exposures that move."""
    c, r, border = *_placed(net, formed), len(formed.corner)
    moving = np.zeros((len(c), 1))
    moving[members] = 1.0
    centred, still = (c - net.x.mean(axis=0)) * moving, np.zeros_like(c)
    axes = [np.tile(axis, (len(c), 1)) * moving for axis in np.eye(3)]
    moves = [_motion(still, axis, r, border) for axis in axes]
    moves += [_motion(turn, np.cross(turn, centred), r, border) for turn in axes]
    return np.stack([*moves, _motion(still, centred, r, border)], axis=1)


def _placed(net: Network, formed: Normals) -> tuple[Floats, Floats]:
    return net.c[formed.order], rotations(net.ypr)[formed.order]


def _blocks(net: Network, formed: Normals) -> list[Ints]:
    """Places in the band of the exposures that points tie together, a list per block; the largest first."""
    rays, n = formed.rays.rays, len(formed.order)
    keep = formed.in_network[rays.owner()]
    seen = coo_matrix((np.ones(keep.sum()), (rays.values[keep], rays.owner()[keep])), shape=(n, len(net.x))).tocsr()
    count, label = connected_components(seen @ seen.T, directed=False)
    return sorted((np.flatnonzero(label == k) for k in range(count)), key=len, reverse=True)


def _datum_defect(net: Network, formed: Normals, scale: Floats, vectors: Floats) -> tuple[list[Defect], Floats]:
    """What of the datum is missing, block by block, and the null vectors that remain once it is named."""
    found, blocks = [], _blocks(net, formed)
    for members in blocks:
        if not vectors.size:
            break
        motions, _ = np.linalg.qr(_similarity(net, formed, members) * scale[:, None])
        inside, cosines, _ = np.linalg.svd(motions.T @ vectors, full_matrices=False)
        missing = motions @ inside[:, cosines > CERTAIN]
        if not missing.shape[1]:
            continue
        if len(blocks) == 1:
            found.append(Defect("datum", _datum_words(net, missing.shape[1]), DATUM_MEND))
        else:
            found.append(Defect("untied", _untied_words(formed, members, missing.shape[1]), UNTIED_MEND))
        vectors = _without(vectors, missing)
    return found, vectors


UNTIED_MEND = "Let it overlap with the rest, give its cameras positions, or survey three control points that it sees."


def _untied_words(formed: Normals, members: Ints, count: int) -> str:
    whole = "where it lies, how it is turned, or its scale" if count == 7 else f"{count} of its seven datum parameters"
    return (
        f"The images fall into blocks that no tie point joins, and nothing fixes {whole} for"
        f" {spans(formed.order[members])}."
    )


def spans(exposures: Ints) -> str:
    """Exposure numbers (k,) in words: runs by their ends, at most four of them.

    >>> spans(np.array([7, 3, 4, 5]))
    'exposures 3 to 5, 7'
    """
    run = np.sort(exposures)
    starts = np.flatnonzero(np.r_[True, np.diff(run) > 1])
    ends = np.r_[starts[1:], len(run)] - 1
    words = [f"{run[a]} to {run[b]}" if b > a else str(run[a]) for a, b in zip(starts[:4], ends[:4], strict=True)]
    more = len(starts) - len(words)
    return f"exposure{'s' if len(run) > 1 else ''} {', '.join(words)}{f' and {more} more runs' if more else ''}"


def _datum_words(net: Network, count: int) -> str:
    names = [net.names[j] for j in np.flatnonzero(net.surveyed)]
    if count == 7:
        return "There is no datum: nothing fixes where the block lies, how it is turned, or its scale."
    if len(names) == 1 and count == 4:
        return (
            f"Only {names[0]} is surveyed and cameras have no positions: the block can turn three ways and change its"
            " scale about it."
        )
    if count == 1 and len(names) >= 2:
        return (
            f"The block can turn about the line through {names[0]} and {names[1]}: no third control point off that"
            " line, and no camera positions."
        )
    return f"{count} of the seven datum parameters (three shifts, three turns, scale) are fixed by nothing."


def _named_directions(net: Network, formed: Normals, scale: Floats) -> list[tuple[str, str, str, Floats]]:
    """Directions that have a name in the trade, in the scaled coordinates of the null space."""
    n, first = formed.band.shape[0], 7 * len(net.f_px)
    c, r = _placed(net, formed)
    out: list[tuple[str, str, str, Floats]] = []
    for s, a in np.argwhere(np.isinf(net.shift_sigma)):
        name, axis = net.shift_names[s], ("east", "north", "height")[a]
        alone = np.zeros(n + len(formed.corner))
        alone[n + first + 3 * s + a] = 1.0
        out.append(("shift", f"The {axis} of {name} is tied to nothing that fixes it.", SHIFT_MEND, alone))
        moved = _moved_by(net, int(s), int(a))[formed.order]
        loose = moved.any(axis=1)
        together = _motion(np.zeros_like(c), moved, r, len(formed.corner)) - alone
        who = "the block" if loose.all() else spans(formed.order[loose]) if loose.any() else "it"
        words = f"Nothing fixes {who} in {axis}: they are positioned from {name}, whose own error is unknown."
        out.append(("datum", words, DATUM_MEND, together))
    for k, f_px in enumerate(net.f_px):
        of_camera = net.camera[formed.order] == k
        whose = (
            "the focal length"
            if len(net.f_px) == 1
            else f"the focal length of camera {reference('camera', net.cameras[k])}"
        )
        depth = np.zeros(n + len(formed.corner))
        depth[n + 7 * k] = 1.0
        out.append(("focal length", FOCAL_DEPTH.format(whose), FOCAL_MEND, depth))
        focal = _motion(np.zeros_like(c), np.zeros_like(c), r, len(formed.corner))
        focal[5:n:6] = of_camera * (c[:, 2] - net.x[:, 2].mean()) / f_px
        focal[n + 7 * k] = 1.0
        for with_shift in [None, *np.flatnonzero(np.isinf(net.shift_sigma[:, 2]))]:
            direction = focal.copy()
            if with_shift is not None:  # the heights of the cameras move together, taken up by a free shift
                direction[n + first + 3 * with_shift + 2] = -direction[5:n:6].mean()
            out.append(("focal length", FOCAL.format(whose), FOCAL_MEND, direction))
    return [(k, w, m, (v * scale / np.linalg.norm(v * scale))[:, None]) for k, w, m, v in out]


SHIFT_MEND = "Give it a standard deviation, tie it to a surveyed mark, or remove it."
FOCAL = "Nothing separates {} from the flying height: straight-down images over ground this flat cannot."
FOCAL_DEPTH = (
    "Nothing separates {} from the depth of the ground: cameras are held, and no control point holds the height."
)
FOCAL_MEND = (
    "Calibrate the camera, add an oblique or a cross line at another height, or use camera positions with control"
    " points."
)


def _lies_in(direction: Floats, space: Floats) -> bool:
    return float(np.linalg.norm(space.T @ direction)) > LIKENESS


def _moved_by(net: Network, shift: int, axis: int) -> Floats:
    """How every exposure (n, 3) moves with one axis of a shift, by its share of it."""
    at = np.flatnonzero(net.exposure_shifts.values == shift)
    out = np.zeros((net.n_exposures, 3))
    np.add.at(out, net.exposure_shifts.owner()[at], net.exposure_shares[at][:, :, axis])
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
    strong = np.flatnonzero(per_exposure > 0.2 * per_exposure.max()) if len(per_exposure) else np.array([], dtype=int)
    names = [(per_exposure.max(), spans(formed.order[strong]))] if 0 < len(strong) < 0.8 * len(per_exposure) else []
    names += [(w, INTERIOR[k % 7]) for k, w in enumerate(weight[n : n + cameras])]
    names += [(w, net.shift_names[k // 3]) for k, w in enumerate(weight[n + cameras :])]
    largest = [name for w, name in sorted(names, reverse=True)[:4] if w > 0.02]
    count = vectors.shape[1]
    return Defect(
        "combination",
        f"{count} combination{'s' if count > 1 else ''} of unknowns cannot be determined; the largest parts are "
        f"in {', '.join(dict.fromkeys(largest)) or 'all exposures'}.",
        "Add overlap, control points or camera positions where these lie, or give the parameter a prior.",
    )
