"""One HTML file from a template: with its style, its script, and the policy that allows these and nothing else."""

import base64
import hashlib
from collections.abc import Mapping
from pathlib import Path
from typing import Any

HERE = Path(__file__).parent
POLICY = (
    "default-src 'none'; img-src data:; media-src data:; font-src data:; base-uri 'none'; form-action 'none'; "
    "script-src '{script}'; style-src '{style}'"
)


def page(name: str, values: Mapping[str, Any]) -> str:
    """Return the page of NAME.html.jinja, with common.css and NAME.css as its style and NAME.js as its script."""
    from jinja2 import Environment, FileSystemLoader, StrictUndefined
    from markupsafe import Markup

    environment = Environment(
        loader=FileSystemLoader(HERE), autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True
    )
    style = "".join((HERE / file).read_text("utf-8") for file in ("common.css", f"{name}.css"))
    script = (HERE / f"{name}.js").read_text("utf-8")
    return environment.get_template(f"{name}.html.jinja").render(
        **values,
        policy=POLICY.format(script=_digest(script), style=_digest(style)),
        style=Markup(style),  # noqa: S704: ours, from a file that ships
        script=Markup(script),
    )


def _digest(text: str) -> str:
    return "sha256-" + base64.b64encode(hashlib.sha256(text.encode()).digest()).decode()
