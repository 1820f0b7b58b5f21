"""Findings as pictures in files."""
