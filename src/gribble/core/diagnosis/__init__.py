"""What happened to a wrong content, told only where it is proven, and how to mend it."""
