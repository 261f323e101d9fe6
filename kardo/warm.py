"""Compiles the engine's loops once, so that nobody waits for it at the first prediction."""

from kardo.core.accuracy.prediction import predict
from kardo.demo import demo_plan


def warm() -> None:
    """Predict demo plans of images and of a scan; compiled code is kept beside the modules and loaded from there ever
    after."""
    predict(demo_plan("sallow-bank"))
    predict(demo_plan("tarn-wood"))


if __name__ == "__main__":
    warm()
