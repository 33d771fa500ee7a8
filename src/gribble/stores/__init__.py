"""Where a rig lives, in a folder or on a server, behind one small interface."""
