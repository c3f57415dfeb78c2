"""From where on a figure is worth a look: the defaults of the checks that a house may set otherwise (`surface.checks`), and what
is no choice of a house. Those without a source are judgement."""

from __future__ import annotations

from texelcore.surface.checks import limit_of

# Common practice: albedo of ordinary non-metals lies about between sRGB 30 and 240, metals about 180 to 255.
DARKEST, BRIGHTEST = limit_of({}, "colour-too-dark", "level"), limit_of({}, "colour-too-bright", "level")
# The even gradient's share of the broad variation, and how broad that must be in levels, from which on light fell from one side.
LIT_GRADIENT, LIT_SPREAD = limit_of({}, "light-baked-in", "gradient"), limit_of({}, "light-baked-in", "spread")
# Mean error of a normal's length, and how far their mean may lean, in degrees.
MOST_LENGTH_ERROR = limit_of({}, "normals-not-unit", "error")
MOST_LEAN = limit_of({}, "normals-lean", "lean")
# Energy in the finest frequencies below which a picture was enlarged, when there is energy in the octave before.
UPSCALED, ALIVE = limit_of({}, "upscaled", "finest"), 0.04
# How many times larger than steps inside the step over a tile's edge may be.
SEAM = limit_of({}, "seam", "step")
# The share of variance in large features from which on a tile's square shows.
BLOTCHES = limit_of({}, "repetition-shows", "share")
# The correlation from which on a picture repeats itself inside; woven and laid surfaces come near.
REPEATS = limit_of({}, "repeats-inside", "correlation")
# A picture in more different levels than this was not squeezed through 8 bits.
EIGHT_BITS = 256
