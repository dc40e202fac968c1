"""The specification of a rulebook, loading one, and the `Rulebook` people hold."""
