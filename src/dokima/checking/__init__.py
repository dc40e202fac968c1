"""Which rules a moment asks, the figures they read, and what they find."""
