"""What bends values: ranges, steps, contrast, and the weights of one height over another."""

from __future__ import annotations

import numpy as np

from texelcore.materials.operations.declared import LEAST, Floats, Operation, numbers, same


def _smooth(a: Floats, low: Floats, high: Floats) -> Floats:
    share = np.clip((a - low) / np.maximum(high - low, LEAST), 0, 1)
    return np.asarray(share * share * (3 - 2 * share), np.float32)


def _remap(a: Floats, low: Floats, high: Floats, to_low: Floats, to_high: Floats, bend: Floats) -> Floats:
    share = np.clip((a - low) / np.maximum(high - low, LEAST), np.float32(1e-6), 1)
    return np.asarray(to_low + share ** np.maximum(bend, LEAST) * (to_high - to_low), np.float32)


def _height_weight(height: Floats, other: Floats, share: Floats, contrast: Floats) -> Floats:
    lead = (other - height) + (2 * share - 1)
    return np.asarray(np.clip(lead / np.maximum(1 - contrast, LEAST) * np.float32(0.5) + np.float32(0.5), 0, 1), np.float32)


OPERATIONS = (
    Operation(
        "range",
        "range",
        "0 becomes low, 1 becomes high",
        (*same("a"), *numbers(low=0.0, high=1.0)),
        "same",
        lambda a, low, high: low + a * (high - low),
        "return low + a * (high - low);",
    ),
    Operation(
        "remap",
        "remap",
        "low to high becomes to low to to high; bend is the power of the curve between, 1 being straight",
        (*same("a"), *numbers(low=0.0, high=1.0, to_low=0.0, to_high=1.0, bend=1.0)),
        "same",
        _remap,
        """a = clamp((a - low) / max(high - low, 1e-4), 1e-6, 1.0);
  return to_low + pow(a, a * 0.0 + max(bend, 1e-4)) * (to_high - to_low);""",
    ),
    Operation(
        "smooth_step",
        "smooth step",
        "0 up to low, 1 from high on, and an S between (Hermite)",
        (*same("a"), *numbers(low=0.0, high=1.0)),
        "same",
        _smooth,
        "a = clamp((a - low) / max(high - low, 1e-4), 0.0, 1.0);\n  return a * a * (3.0 - 2.0 * a);",
    ),
    Operation(
        "above",
        "above",
        "1 where a is b or more, 0 elsewhere",
        same("a", "b"),
        "same",
        lambda a, b: np.asarray(a >= b, np.float32),
        "return step(b, a);",
    ),
    Operation(
        "contrast",
        "contrast",
        "a pulled away from a pivot, times the amount",
        (*same("a"), *numbers(amount=1.0, pivot=0.5)),
        "same",
        lambda a, amount, pivot: (a - pivot) * amount + pivot,
        "return (a - pivot) * amount + pivot;",
    ),
    Operation(
        "border",
        "border",
        "how near a mask is to its own edge at a half: 1 on it, 0 from the width on",
        numbers(mask=None, width=0.2),
        "number",
        lambda mask, width: np.clip(1 - np.abs(mask - np.float32(0.5)) / np.maximum(width, LEAST), 0, 1),
        "return clamp(1.0 - abs(mask - 0.5) / max(width, 1e-4), 0.0, 1.0);",
    ),
    Operation(
        "height_weight",
        "height weight",
        "the weight of a second layer that lies in the first by height: it fills what is low, the sharper the more contrast",
        numbers(height=None, other=None, share=0.5, contrast=0.8),
        "number",
        _height_weight,
        """float lead = (other - height) + (2.0 * share - 1.0);
  return clamp(lead / max(1.0 - contrast, 1e-4) * 0.5 + 0.5, 0.0, 1.0);""",
    ),
)
