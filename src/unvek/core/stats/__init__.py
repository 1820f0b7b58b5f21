"""Numbers -> intervals, ratios, fits, frontiers. Arrays in, values out; nothing here knows of runs or files.

Here are the pieces (grouping, quantiles, Student's intervals, shares, trends); then over_launches/ -> over_tasks/ ->
conclusions/.
"""
