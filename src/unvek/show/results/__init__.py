"""Findings as tables and records: one file a finding."""
