"""What a demo material is before it is exported: fields for each property."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from texeldemo.fields import Field, normal_of, occlusion_of


@dataclass
class Surface:
    """A material: `colour` is (H, W, 3) sRGB-encoded 0–1, the rest (H, W); `relief` scales height to the width."""

    colour: Field
    height: Field
    roughness: Field
    metallic: Field
    relief: float
    opacity: Field | None = None
    emissive: Field | None = None
    occlusion: Field = field(init=False)
    normal: Field = field(init=False)

    def __post_init__(self) -> None:
        self.normal = normal_of(self.height, self.relief)
        self.occlusion = occlusion_of(self.height, self.relief)
        self.roughness = np.clip(self.roughness, 0.03, 1.0)
        self.metallic = np.clip(self.metallic, 0.0, 1.0)
        self.colour = np.clip(self.colour, 0.0, 1.0)

    def opacity_or_solid(self) -> Field:
        """Opacity (H, W), 1 everywhere for a material that lets nothing through."""
        return np.ones_like(self.height) if self.opacity is None else self.opacity

    def emissive_or_black(self) -> Field:
        """Emissive (H, W, 3) in linear light, 0 for a material that gives none."""
        return np.zeros_like(self.colour) if self.emissive is None else self.emissive
