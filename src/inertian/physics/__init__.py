"""Laws as plain functions, the readings of a collision, ledgers and verdicts."""
