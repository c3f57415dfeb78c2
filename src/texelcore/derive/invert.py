"""Gloss and smoothness are one minus roughness (common practice; glTF KHR_materials_pbrSpecularGlossiness)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def invert(values: NDArray[np.float64]) -> NDArray[np.float64]:
    """One minus the value (0–1): gloss to roughness and roughness to smoothness. Its own inverse."""
    return 1.0 - values
