"""From verdicts to a plan, from a plan to a run, and from a run back again."""
