"""Kardo plans the control of a drone survey and predicts its accuracy."""

import os

# NumPy and SciPy each carry an OpenBLAS with threads that spin for a while after their last product. Where one's
# spinning threads hold the cores that the other needs, a prediction takes twice as long; so they give way at once.
os.environ.setdefault("OPENBLAS_THREAD_TIMEOUT", "4")
