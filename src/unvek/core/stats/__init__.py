"""Numbers -> intervals, ratios, frontiers. Arrays in, values out; nothing here knows of runs or files."""
