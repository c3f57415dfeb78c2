"""Tokens, the lexicon of aliases and the templates that name outputs."""
