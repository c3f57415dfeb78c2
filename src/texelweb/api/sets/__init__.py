"""Sets and what they are made of: arrivals, questions, files, ledgers, meshes and models."""
