"""Everything Gribble works out; knows nothing of terminals, environments or exit."""
