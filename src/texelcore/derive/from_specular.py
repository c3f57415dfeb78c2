"""From the specular workflow to the metallic workflow.

After the conversion notes of the glTF extension KHR_materials_pbrSpecularGlossiness: solve for the metallic value at
which a dielectric of reflectance 0.04 mixed with a metal gives the observed diffuse and specular brightness.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

DIELECTRIC = 0.04
EPSILON = 1e-6
# Perceived brightness weights of the extension's notes; they weigh squares.
BRIGHTNESS = np.array([0.299, 0.587, 0.114])


class Metallic(NamedTuple):
    """Base colour (…, 3) in linear light and metallic (…), both 0–1."""

    base_colour: NDArray[np.float64]
    metallic: NDArray[np.float64]


def from_specular(diffuse: NDArray[np.float64], specular: NDArray[np.float64]) -> Metallic:
    """Convert linear diffuse and specular colours, both (…, 3) in 0–1, to base colour and metallic."""
    strength = 1.0 - specular.max(axis=-1)
    metallic = _solve_metallic(_brightness(diffuse), _brightness(specular), strength)
    m = metallic[..., None]
    from_diffuse = diffuse * (strength / (1 - DIELECTRIC) / np.maximum(1 - metallic, EPSILON))[..., None]
    from_specular_colour = (specular - DIELECTRIC * (1 - m)) / np.maximum(m, EPSILON)
    share = m * m
    base = from_diffuse + (from_specular_colour - from_diffuse) * share
    return Metallic(np.clip(base, 0.0, 1.0), metallic)


def _brightness(colour: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.asarray(np.sqrt((colour * colour) @ BRIGHTNESS))


def _solve_metallic(
    diffuse: NDArray[np.float64], specular: NDArray[np.float64], strength: NDArray[np.float64]
) -> NDArray[np.float64]:
    """The positive root of DIELECTRIC m² + b m + c = 0; no metal where the specular colour is darker than 0.04."""
    b = diffuse * strength / (1 - DIELECTRIC) + specular - 2 * DIELECTRIC
    c = DIELECTRIC - specular
    root = np.sqrt(np.maximum(b * b - 4 * DIELECTRIC * c, 0.0))
    metallic = np.clip((-b + root) / (2 * DIELECTRIC), 0.0, 1.0)
    return np.where(specular < DIELECTRIC, 0.0, metallic)
