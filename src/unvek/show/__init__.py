"""A finding -> a terminal table, a live view, a picture. Nothing here computes what a finding does not hold."""
