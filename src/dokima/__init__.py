"""Dokima."""
