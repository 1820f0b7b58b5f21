"""Body shapes that many servers share, under names of their own: what a plan need not write out.

A shape is what a runner's keys are where the plan does not give them. `body` is put together: what the plan says of it
stands beside the shape's own, or in its place.
"""

from collections.abc import Mapping
from types import MappingProxyType
from typing import Any

from unvek.core.plan.runners import EVENT_STREAM, WHOLE

# Messages go in; pieces of the first of several choices come out, each in a `delta`; a last piece has the counts.
CHAT: Mapping[str, Any] = MappingProxyType(
    {
        "body": {
            "messages": [{"role": "user", "content": "{prompt}"}],
            "seed": "{seed}",
            "stream": True,
            "stream_options": {"include_usage": True},
        },
        "framing": EVENT_STREAM,
        "text": {"answer": "/choices/0/delta/content", "reasoning": "/choices/0/delta/reasoning_content"},
        "tokens_in": "/usage/prompt_tokens",
        "tokens_out": "/usage/completion_tokens",
        "tokens_of": {"reasoning": "/usage/completion_tokens_details/reasoning_tokens"},
        "cached": "/usage/prompt_tokens_details/cached_tokens",
    }
)
# The same, answered at once.
CHAT_WHOLE: Mapping[str, Any] = MappingProxyType(
    {
        **CHAT,
        "body": {"messages": CHAT["body"]["messages"], "seed": "{seed}"},
        "framing": WHOLE,
        "text": {"answer": "/choices/0/message/content", "reasoning": "/choices/0/message/reasoning_content"},
    }
)
SHAPES: Mapping[str, Mapping[str, Mapping[str, Any]]] = MappingProxyType(
    {"chat": {EVENT_STREAM: CHAT, WHOLE: CHAT_WHOLE}}
)  # for each its forms, by framing: the first where the plan gives none


def with_shape(content: Mapping[str, Any], name: str) -> dict[str, Any]:
    """Return what a plan says of a runner, with a shape's keys where it says nothing."""
    forms = SHAPES[name]
    shape = forms.get(str(content.get("framing")), next(iter(forms.values())))
    merged = {**shape, **content}
    body = content.get("body")
    if isinstance(body, Mapping):
        merged["body"] = {**shape["body"], **body}
    if "text" in content and "tokens_of" not in content:
        del merged["tokens_of"]  # which is of the shape's own texts
    return merged
