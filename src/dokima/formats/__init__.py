"""Columns and documents out of CSV, JSON and DataFrames, and results back."""
