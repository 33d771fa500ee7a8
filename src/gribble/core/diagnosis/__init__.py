"""What happened to a wrong file, told only where it is proven, and how to mend it."""
