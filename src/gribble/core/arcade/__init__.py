"""Whether a set runs and what it lacks, how sets are packed, what a release changes, and what fits a card."""
