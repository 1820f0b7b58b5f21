"""Pages that stand alone: one HTML file each, which fetches nothing and runs nothing but the script that ships here.

Templates escape whatever they are given. Styles and scripts lie in files of their own and are put into the page when it
is made; the page's policy names them by digest and allows nothing else.
"""
