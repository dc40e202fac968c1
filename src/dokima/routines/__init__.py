"""Routines: ordered steps that turn a line into money, tax, and totals."""
