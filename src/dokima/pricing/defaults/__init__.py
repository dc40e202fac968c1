"""What fields have that nobody gave."""
