"""A camera from its image's own words."""

import io

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from PIL.TiffImagePlugin import IFDRational

from kardo.core.errors import KardoError, ReadError
from kardo.formats.camera import EXIF, FOCAL, FOCAL_35, HIGH, MODEL, PLANE, PLANE_UNIT, WIDE, ZOOM, read_camera


def image(size=(548, 365), model="Sensor \x07A", **said):
    exif = Image.Exif()
    exif[MODEL] = model
    tags = {
        "focal": FOCAL,
        "focal_35": FOCAL_35,
        "wide": WIDE,
        "high": HIGH,
        "plane": PLANE,
        "unit": PLANE_UNIT,
        "zoom": ZOOM,
    }
    exif.get_ifd(EXIF).update({tags[name]: value for name, value in said.items()})
    out = io.BytesIO()
    Image.new("RGB", size).save(out, "JPEG", exif=exif)
    return out.getvalue()


def test_by_the_resolution_of_the_focal_plane():
    """5,472 pixels over 13.2 mm: 414.5 a millimetre, 2.412 micrometres each; 8.8 mm are 3,648 pixels."""
    found = read_camera(
        image(focal=IFDRational(88, 10), wide=5472, high=3648, plane=IFDRational(5472 * 10, 132), unit=4), "a.jpg"
    )
    assert (found.camera.width_px, found.camera.height_px) == (5472, 3648)
    assert found.camera.pixel_um == pytest.approx(2.412, abs=0.001) and found.camera.f_px == pytest.approx(
        3648, rel=1e-3
    )
    assert found.camera.name == "Sensor A" and found.camera.calibration.state == "never"
    assert "smaller than the image that was taken" in found.how[0]


def test_a_height_of_nothing_is_not_believed():
    found = read_camera(
        image(focal=IFDRational(88, 10), focal_35=24, wide=5472, high=IFDRational(1, 10**9)), "a.jpg"
    ).camera
    assert (found.width_px, found.height_px) == (548, 365)


def test_by_the_focal_length_as_on_film_it_says_how_well():
    """43.27 mm / 24 x 8.8 is the sensor's diagonal: 15.86 mm over 6,577 pixels."""
    found = read_camera(image(size=(5472, 3648), focal=IFDRational(88, 10), focal_35=24), "a.jpg")
    assert found.camera.pixel_um == pytest.approx(2.412, abs=0.001)
    assert any("to 2.1 %" in words for words in found.how)


def test_what_to_mind_is_said():
    found = read_camera(image(size=(1920, 1080), focal=IFDRational(9, 1), focal_35=24, zoom=IFDRational(2, 1)), "a.jpg")
    told = " ".join(found.how)
    assert "digital zoom of 2" in told and "16:9" in told and "distortion correction off" in told
    upright = read_camera(image(size=(300, 400), focal=IFDRational(9, 1), focal_35=24), "a.jpg").camera
    assert (upright.width_px, upright.height_px) == (400, 300)


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (image(focal_35=24), "focal length"),
        (image(focal=IFDRational(9, 1)), "how large its sensor"),
        (image(focal=IFDRational(9, 0), focal_35=24), "focal length"),
        (image(size=(60, 40), focal=IFDRational(9, 1), focal_35=24), "no camera of the field"),
        (b"no image", "no JPEG"),
    ],
)
def test_an_image_that_says_too_little_is_refused_with_a_way_on(data, words):
    with pytest.raises(ReadError, match=words):
        read_camera(data, "a.jpg")


@settings(max_examples=60, deadline=None)
@given(st.binary(max_size=60), st.integers(20, 400))
def test_a_damaged_image_never_brings_it_down(junk, at):
    whole = image(size=(300, 200), focal=IFDRational(9, 1), focal_35=24)
    try:
        read_camera(whole[:at] + junk + whole[at + len(junk) :], "a.jpg")
    except KardoError as fault:
        assert fault.what
