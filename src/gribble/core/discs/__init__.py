"""Track sheets, playlists and disc images: what they say, and whether it holds."""
