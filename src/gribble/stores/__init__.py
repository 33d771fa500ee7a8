"""Where a rig lives, behind one small interface."""
