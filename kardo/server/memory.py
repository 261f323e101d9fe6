"""Memory that is given back: what a large block took is not kept for the next one."""

import ctypes
import gc


def give_back() -> None:
    """Return what is free to the system: the C library keeps it otherwise (glibc, malloc_trim); nothing where there is
    no such function."""
    gc.collect()
    trim = getattr(ctypes.CDLL(None), "malloc_trim", None)
    if trim is not None:
        trim(0)
