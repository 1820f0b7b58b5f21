"""A finding -> a terminal table, a live view, a picture. Nothing here computes what a finding does not hold.

terminal/   what tables are made of: cleaned texts, figures, grids, strips
results/    a finding each, as a table, CSV, Markdown or JSON
live/       runs while they are made
picture/    the sheet of outputs, and plots
"""
