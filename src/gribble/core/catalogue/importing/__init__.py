"""Taking over lists of any shape by a field map that the user writes."""
