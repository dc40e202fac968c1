"""Priced orders, and the tables that are made of them."""
