"""The board: where every set of a project stands on its way to being delivered."""
