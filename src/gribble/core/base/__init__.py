"""Words every room uses: errors, paths, tables and suggestions, addresses, digests."""
