"""Where a figure came from."""
