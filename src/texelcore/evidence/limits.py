"""From where on a figure is worth a look. Those without a source are judgement, tuned on generated materials."""

from __future__ import annotations

# Common practice: albedo of ordinary non-metals lies about between sRGB 30 and 240, metals about 180 to 255.
DARKEST, BRIGHTEST = 30.0, 240.0
# The share of metallic texels that may lie between 0 and 1: edges and dirt.
MOST_BETWEEN = 0.4
# The even gradient's share of the broad variation, and how broad that must be in levels, from which on light fell from one side.
LIT_GRADIENT, LIT_SPREAD = 0.5, 40.0
# The correlation of base colour with the set's own occlusion from which on that was painted in.
LIT_OCCLUSION = 0.93
# Mean error of a normal's length, and how far their mean may lean, in degrees.
MOST_LENGTH_ERROR = 0.04
MOST_LEAN = 3.0
# Energy in the finest frequencies below which a picture was enlarged, when there is energy in the octave before.
UPSCALED, ALIVE = 0.001, 0.04
# How many times larger than steps inside the step over a tile's edge may be.
SEAM = 3.0
# The share of variance in large features from which on a tile's square shows.
BLOTCHES = 0.4
# The correlation from which on a picture repeats itself inside; woven and laid surfaces come near.
REPEATS = 0.9
# A picture in more different levels than this was not squeezed through 8 bits.
EIGHT_BITS = 256
