"""From files to sets and ledgers."""
