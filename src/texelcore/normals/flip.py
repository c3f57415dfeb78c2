"""From +Y to −Y and back."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def flip_green(green: NDArray[np.float64]) -> NDArray[np.float64]:
    """Turn the green channel of an unsigned normal map (0–1, 0.5 is level) over: 1 − green.

    On stored integers this is exactly maximum − value (255 − G for 8 bits), so that two flips are none.
    """
    return 1.0 - green
