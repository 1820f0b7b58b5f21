"""The count of changes of runs, which the database keeps itself: columns that were kept are then known to be stale.

Runs that are added have new numbers and need no counting.
"""

CHANGED = "runs_changed"  # a key of `about`
COUNT_UP = (
    f"INSERT INTO about (key, value) VALUES ('{CHANGED}', '1') "
    "ON CONFLICT (key) DO UPDATE SET value = CAST(CAST(about.value AS INTEGER) + 1 AS TEXT)"
)
TRIGGERS = {
    "runs_updated": "UPDATE ON runs", "runs_deleted": "DELETE ON runs", "rigs_updated": "UPDATE OF rig ON launches",
}  # fmt: skip
