"""Words every room uses: errors, paths, tables, addresses, digests."""
