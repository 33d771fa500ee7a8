"""From results to text: terminal views and JSON."""
