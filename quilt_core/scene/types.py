"""Types of arrays, by what they hold."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]
BoolArray = NDArray[np.bool_]
Float32 = NDArray[np.float32]
Bytes = NDArray[np.uint8]
