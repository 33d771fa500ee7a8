"""What is found, in sentences: the only room with words of verdicts, remedies and reasons."""
