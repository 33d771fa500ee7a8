"""Run Gribble as `python -m gribble`."""

from gribble.cli.main import main

if __name__ == "__main__":
    main()
