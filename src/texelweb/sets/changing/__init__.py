"""Sets under people's hands: every change is a step of the record."""
