"""What all documents have in common."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict


class Document(BaseModel):
    """A frozen document: the same in the core, on disk and in the API."""

    # JSON has no word for what is no number.
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)
