"""Logbook + measures + stats -> findings: frozen objects that hold all that a table, a picture or a page shows.

Every finding turns into JSON by the one function in as_json.py.
"""
