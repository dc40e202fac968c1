"""Results as plain data and as rows, one module for each kind of result."""
