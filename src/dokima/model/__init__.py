"""Orders: header and lines, their fields, their numbers, and what is found about them."""
