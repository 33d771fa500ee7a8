"""Reading sources and rigs into holdings, once."""
