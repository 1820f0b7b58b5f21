"""Findings as plots, all of one look (look.py): a figure each, which is written as PNG or SVG, or stands in a page."""
