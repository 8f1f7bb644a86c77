"""The array types, named once."""

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]
Indices = NDArray[np.intp]
Pixels = NDArray[np.uint8]  # a picture [h, w, 4]: sRGB with straight alpha
Planes = NDArray[np.float32]  # pixels as floats
