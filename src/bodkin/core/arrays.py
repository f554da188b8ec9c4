"""What an array of scores is, and the checks that every rule makes on one."""

from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from bodkin.core.errors import BadInput

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]
BoolArray = NDArray[np.bool_]


def floats(name: str, values: ArrayLike) -> FloatArray:
    """``values`` as float64, missing as NaN; raises BadInput naming ``name`` on an infinity."""
    array = np.asarray(values, dtype=np.float64)
    if np.isinf(array).any():
        raise BadInput(f"{name} holds an infinite value; leave a missing value empty instead")
    return array


def positive(name: str, values: ArrayLike) -> FloatArray:
    """``values`` as float64, every known one above zero; raises BadInput naming ``name``."""
    array = floats(name, values)
    wrong = array <= 0
    if wrong.any():
        raise BadInput(f"{name} must be above 0, got {array[wrong].flat[0]:g}")
    return array


def within(name: str, values: ArrayLike, low: float, high: float) -> FloatArray:
    """``values`` as float64, every known one in ``low..high``; raises BadInput naming ``name``."""
    array = floats(name, values)
    wrong = (array < low) | (array > high)
    if wrong.any():
        raise BadInput(f"{name} must be from {low:g} to {high:g}, got {array[wrong].flat[0]:g}")
    return array


def same_shape(**arrays: NDArray[Any]) -> None:
    """Raise BadInput unless the named arrays have one shape (a scalar goes with any shape)."""
    shapes = {array.shape for array in arrays.values() if array.ndim}
    if len(shapes) > 1:
        listed = ", ".join(f"{name} {array.shape}" for name, array in arrays.items())
        raise BadInput(f"the arrays must have one shape: {listed}")
