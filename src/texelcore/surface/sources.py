"""Sources: what stands wherever a picture is named, in rows, tiles, what is left out and recipes."""

from __future__ import annotations

from typing import NewType

# The id under which a picture is known: a project's own number of a file, or its path in a folder. Nobody reads anything out of
# it: `building.sources.Sources` says what it stands for.
Source = NewType("Source", str)
