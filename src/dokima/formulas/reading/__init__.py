"""From the text of a formula to a checked tree: syntax, names, kinds and levels."""
