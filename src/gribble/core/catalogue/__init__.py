"""What is known about what emulators need: the user's configuration and the sheets."""
