"""What can be read or written in a file: hashing, archives, settings, disc headers, the rules of volumes."""
