"""Training of the demo's models. Run as modules from the repository's root: python -m training.sprig.teach"""

import sys
from pathlib import Path

from unvek import demo

# The demo's project is a folder of plain scripts that import each other by name, as a user's would.
PROJECT = Path(demo.__file__).with_name("project")
sys.path.insert(0, str(PROJECT))
MODELS = PROJECT / "models"
OUT = Path("training/out")
