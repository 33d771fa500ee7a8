"""One module for each question that a person asks, answered from what the other rooms know."""
