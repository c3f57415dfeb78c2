"""From ledger and target to a plan, and the executor that runs it."""
