"""What bars are made of: arrays of numbers, one entry a bar."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

Column = NDArray[np.float64]
Times = NDArray[np.int64]
Rows = NDArray[np.int64]
Series = tuple[Times, Mapping[str, Column]]
