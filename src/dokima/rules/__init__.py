"""Rules: moments, verdicts, messages. They see only names."""
