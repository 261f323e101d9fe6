"""Pictures from the field: JPEG, PNG or WebP, looked at before they are kept."""

import io
import warnings

from PIL import Image, ImageOps, UnidentifiedImageError

from kardo.core.errors import ReadError

MAX_BYTES = 12_000_000
MOST_PIXELS = 80_000_000
KINDS = {"JPEG": "image/jpeg", "PNG": "image/png", "WEBP": "image/webp"}


def picture_kind(data: bytes) -> str:
    """The media type of a picture. Raises ReadError for what is none, or is larger than a camera of the field makes."""
    if len(data) > MAX_BYTES:
        raise ReadError("The picture is larger than 12 MB.", mend="Send a smaller one.")
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        try:
            with Image.open(io.BytesIO(data), formats=tuple(KINDS)) as found:
                kind, pixels = str(found.format), found.width * found.height
                if pixels > MOST_PIXELS:
                    raise Image.DecompressionBombError
                found.verify()
        except Image.DecompressionBombError:
            raise ReadError("The picture has more than 80 million pixels.", mend="Send a smaller one.") from None
        except (UnidentifiedImageError, OSError, ValueError, SyntaxError) as fault:
            raise ReadError("This is no JPEG, PNG or WebP picture.", mend="Take it as JPEG.") from fault
    return KINDS[kind]


def printed(data: bytes, side: int = 900) -> bytes:
    """A picture as JPEG for paper: upright, and no longer than side pixels. Raises ReadError for what is no picture.

    >>> import PIL.Image
    >>> PIL.Image.new("RGB", (2000, 1000)).save(large := io.BytesIO(), "PNG")
    >>> PIL.Image.open(io.BytesIO(printed(large.getvalue()))).size
    (900, 450)
    """
    picture_kind(data)
    out = io.BytesIO()
    try:
        with Image.open(io.BytesIO(data), formats=tuple(KINDS)) as found:
            found.draft("RGB", (side, side))
            upright = ImageOps.exif_transpose(found).convert("RGB")
            upright.thumbnail((side, side))
            upright.save(out, "JPEG", quality=80)
    except (OSError, ValueError, SyntaxError) as fault:
        raise ReadError("A picture is damaged.", mend="Take it again.") from fault
    return out.getvalue()
