"""A camera from what one of its images says of itself (EXIF 2.32, CIPA DC-008)."""

import io
import math
import warnings
from dataclasses import dataclass
from typing import Any

from PIL import Image
from pydantic import ValidationError

from kardo.core.errors import ReadError
from kardo.core.plan.kit import Camera
from kardo.core.plan.library import library
from kardo.formats.picture import KINDS, picture_kind

EXIF, FOCAL, FOCAL_35, WIDE, HIGH, PLANE, PLANE_UNIT, ZOOM, MODEL = (
    34665,
    37386,
    41989,
    40962,
    40963,
    41486,
    41488,
    41988,
    272,
)
DIAGONAL_35 = math.hypot(36.0, 24.0)  # millimetres
UNIT_MM = {2: 25.4, 3: 10.0, 4: 1.0}
DATA_SHEET = "Type the camera from its data sheet: pixels, pixel pitch, focal length."


@dataclass(frozen=True)
class CameraReading:
    """The camera as the plan would hold it, and how it was read: what was taken from where, and what to mind."""

    camera: Camera
    how: tuple[str, ...]


def read_camera(data: bytes, name: str) -> CameraReading:
    """The camera that took a sample image. Raises ReadError for what is no image, or says too little."""
    picture_kind(data)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        try:
            with Image.open(io.BytesIO(data), formats=tuple(KINDS)) as found:
                size, exif = found.size, found.getexif()
                said: dict[int, Any] = dict(exif.get_ifd(EXIF))
                model = exif.get(MODEL)
        except (OSError, ValueError, SyntaxError, TypeError, KeyError) as fault:
            raise ReadError("What this image says of its camera is damaged.", where=name, mend=DATA_SHEET) from fault
    focal = _number(said.get(FOCAL))
    if focal is None:
        raise ReadError(
            "This image does not say its focal length.",
            where=name,
            mend=f"Take one as it came from the camera. {DATA_SHEET}",
        )
    wide, high, how = _pixels(size, said)
    pitch, from_where = _pitch(said, wide, high, focal, name)
    how += [from_where, *_mind(said, wide, high)]
    try:
        camera = Camera(
            id="camera",
            name="".join(c for c in str(model or "") if c.isprintable())[:60].strip() or "camera of a sample image",
            width_px=wide,
            height_px=high,
            pixel_um=round(pitch, 3),
            focal_mm=round(focal, 3),
            shutter="mechanical",
            calibration=library().calibrations["never"].calibration,
        )
    except ValidationError as fault:
        raise ReadError(
            f"This is no camera of the field: {wide} by {high} pixels of {pitch:.2f} µm behind {focal:g} mm.",
            where=name,
            mend=DATA_SHEET,
        ) from fault
    return CameraReading(camera, tuple(how))


def _pixels(size: tuple[int, int], said: dict[int, Any]) -> tuple[int, int, list[str]]:
    """Width and height in pixels, the longer first, of the image as it was taken."""
    wide, high = max(size), min(size)
    taken = _number(said.get(WIDE)), _number(said.get(HIGH))
    first, second = taken
    if first and second and max(first, second) > wide and min(first, second) >= 1:
        whole = int(max(first, second)), int(min(first, second))
        return *whole, [
            f"The file is smaller than the image that was taken ({whole[0]} by {whole[1]} pixels); that is used."
        ]
    return wide, high, [f"{wide} by {high} pixels."]


def _pitch(said: dict[int, Any], wide: int, high: int, focal: float, name: str) -> tuple[float, str]:
    """Micrometres of a pixel, and where they come from."""
    plane, unit = _number(said.get(PLANE)), UNIT_MM.get(int(_number(said.get(PLANE_UNIT)) or 2))
    if plane and unit and 0.3 < 1000 * unit / plane < 30:
        return 1000 * unit / plane, "Pixel pitch from the resolution of the focal plane."
    equal = _number(said.get(FOCAL_35))
    if equal:
        share = 50 / equal  # of a whole number, half a unit either way
        pitch = 1000 * DIAGONAL_35 * focal / equal / math.hypot(wide, high)
        return (
            pitch,
            (
                f"Pixel pitch from the focal length as on 35 mm film, a whole number: to {share:.1f} %. The data sheet"
                " is better."
            ),
        )
    raise ReadError("This image does not say how large its sensor is.", where=name, mend=DATA_SHEET)


def _mind(said: dict[int, Any], wide: int, high: int) -> list[str]:
    out = []
    zoom = _number(said.get(ZOOM))
    if zoom and zoom > 1.001:
        out.append(f"It was taken with a digital zoom of {zoom:g}: switch that off.")
    if abs(wide / high - 16 / 9) < 0.02:
        out.append("It is cut to 16:9: set the camera to its whole sensor, or the sides are given away.")
    out.append(
        "Whether the shutter rolls, an image does not say: look it up. Switch distortion correction off in the camera."
    )
    return out


def _number(value: Any) -> float | None:
    """A figure of EXIF: a rational, or whole; None for what is none, or not above zero."""
    try:
        figure = float(value[0] if isinstance(value, tuple) else value)
    except (TypeError, ValueError, ZeroDivisionError, IndexError):
        return None
    return figure if math.isfinite(figure) and figure > 0 else None
