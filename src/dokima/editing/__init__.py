"""The editor of one order: every operation runs its rules and happens whole or not at all."""
