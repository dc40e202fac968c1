"""Runs over many orders from files to files: in threads, in processes, or on many machines."""
