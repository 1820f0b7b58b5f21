"""Numbers -> intervals, ratios, fits, frontiers. Arrays in, values out; nothing here knows of runs or files."""
