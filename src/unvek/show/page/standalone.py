"""One HTML file from a template: with its style, its script, and the policy that allows these and nothing else."""

import base64
import hashlib
import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from unvek.core.plain_text import clean_text

HERE = Path(__file__).parent
POLICY = (
    "default-src 'none'; img-src data:; media-src data:; font-src data:; base-uri 'none'; form-action 'none'; "
    "script-src '{script}'; style-src '{style}'"
)


def page(name: str, values: Mapping[str, Any], is_cleaned: bool = False) -> str:
    """Return the page of NAME.html.jinja: common.css and NAME.css are its style, looking.js and NAME.js its script.

    is_cleaned: whether texts are shown without what turns the direction of writing, or can't be seen.
    """
    from jinja2 import Environment, FileSystemLoader, StrictUndefined
    from markupsafe import Markup

    environment = Environment(
        loader=FileSystemLoader(HERE), autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True,
        finalize=_cleaned if is_cleaned else None,
    )  # fmt: skip
    style = "".join((HERE / file).read_text("utf-8") for file in ("common.css", f"{name}.css"))
    script = "".join((HERE / file).read_text("utf-8") for file in ("looking.js", f"{name}.js"))
    return environment.get_template(f"{name}.html.jinja").render(
        **values,
        policy=POLICY.format(script=_digest(script), style=_digest(style)),
        style=Markup(style),
        script=Markup(script),
    )


def _cleaned(value: Any) -> Any:
    return clean_text(value) if isinstance(value, str) and not hasattr(value, "__html__") else value


def as_json(value: Any) -> Any:
    """Return a value, or a text that is JSON, as it can stand in a script element that holds data."""
    from markupsafe import Markup

    text = value if isinstance(value, str) else json.dumps(value, allow_nan=False, separators=(",", ":"))
    return Markup(text.replace("<", "\\u003c"))


def _digest(text: str) -> str:
    return "sha256-" + base64.b64encode(hashlib.sha256(text.encode()).digest()).decode()
