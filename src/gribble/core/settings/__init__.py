"""The emulators' own settings files: one value found, read, and changed without touching anything else."""
