"""Quillmere Glasshouses: a rulebook, tables and orders to try everything on. All names are invented."""
