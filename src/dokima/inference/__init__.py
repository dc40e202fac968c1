"""What files of other people mean, as far as their cells prove it: kinds, marks, roles, questions that stay open."""
