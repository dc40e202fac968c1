"""Orders priced: which routine, in pieces, with everything beside the steps."""
