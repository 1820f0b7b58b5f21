"""Runs in and out: timings from elsewhere into a logbook, and a logbook's runs as CSV, JSON Lines or Parquet."""
