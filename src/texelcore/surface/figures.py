"""Figures in sentences, beside the limits that they are held to."""

from __future__ import annotations

# More digits than these say nothing that a 64-bit float is sure of.
MOST_DIGITS = 15


def beside(value: float, limit: float, digits: int = 3) -> str:
    """A figure in so many significant digits that it does not read as the limit that it is not: 2.0004 beside 2 is “2.0004”.

    >>> beside(2.0004, 2), beside(3.14159, 2), beside(2.0, 2)
    ('2.0004', '3.14', '2')
    """
    for more in range(digits, MOST_DIGITS):
        text = f"{value:.{more}g}"
        if float(text) != float(f"{limit:.{more}g}") or value == limit:
            return text
    return repr(value)
