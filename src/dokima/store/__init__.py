"""Persistence: where orders, change orders and baselines are kept."""
