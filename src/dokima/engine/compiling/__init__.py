"""From what a rulebook says to a program that can run."""
