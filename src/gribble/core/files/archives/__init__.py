"""Looking into archives: what they say they hold, and their contents as streams; never unpacked to disk."""
