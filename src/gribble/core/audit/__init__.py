"""Everything held brought together for one question, and read where a verdict asks for it."""
