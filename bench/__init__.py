"""Measurements of what the project promises of its speed."""
