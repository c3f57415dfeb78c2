"""From the metallic workflow to the specular one."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from texelcore.derive.from_specular import DIELECTRIC

Floats = NDArray[np.float64]
_NOTHING = 1e-6


def to_specular(base_colour: Floats, metallic: Floats) -> tuple[Floats, Floats]:
    """Diffuse and specular colour from base colour (..., 3) and metallic (...), all linear, 0–1.

    Specular goes from that of dielectrics, 0.04, to the base colour; diffuse is what is left of the base colour beside it.
    Inverse of the conversion from the specular workflow. Source: glTF extension KHR_materials_pbrSpecularGlossiness, conversion
    notes.
    """
    share = metallic[..., None]
    specular = DIELECTRIC * (1 - share) + base_colour * share
    left = 1 - specular.max(axis=-1, keepdims=True)
    diffuse = np.where(left > _NOTHING, base_colour * (1 - DIELECTRIC) * (1 - share) / np.maximum(left, _NOTHING), 0.0)
    return np.clip(diffuse, 0.0, 1.0), np.asarray(specular)
