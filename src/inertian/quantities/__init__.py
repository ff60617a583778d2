"""Ground floor: units, facts, estimates with uncertainty, their joint covariance, coverage and rounding."""
