"""python -m tests [MODULE ...]: the tests, side by side."""

import sys

from tests.side_by_side import run_all

if __name__ == "__main__":
    sys.exit(run_all(sys.argv[1:]))
