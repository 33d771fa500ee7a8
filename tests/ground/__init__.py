"""Other systems, as far as they can be had on this one: their rules, and their volumes."""
