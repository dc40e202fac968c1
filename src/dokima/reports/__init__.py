"""Reports for people."""
