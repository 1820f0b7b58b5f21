"""How a model's layers keep what they have read, and what that takes: its context memory.

Keys and values of every token stay, for every layer and each of its heads that has some of its own: 2 x layers x heads
x width x bytes of a value. Where a model keeps them in another way, what it takes is not known, and that is said.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

MOST = 10**7  # of layers, heads, widths and lengths: what is more is no model
VALUE_BYTES = {"float32": 4, "float16": 2, "bfloat16": 2, "float8": 1, "int8": 1}
USUAL_VALUE_BYTES = 2
# In a config's or a file's words: kept in another way than by keys and values of every token.
KEPT_OTHERWISE = ("kv_lora_rank", "ssm", "mamba", "conv_kernel", "state_size", "linear_num", "recurrent", "time_mix")


@dataclass(frozen=True, slots=True, kw_only=True)
class Context:
    """heads: all layers' together, those with keys of their own. longest: tokens that the model was made for, if told.

    Where `window` is told, `windowed_share` of the layers keep so many of the latest tokens and no more.
    """

    layers: int
    heads: int
    key_width: int
    value_width: int
    value_bytes: int
    longest: int | None = None
    window: int | None = None
    windowed_share: float = 0.0

    @property
    def bytes_per_token(self) -> int:
        return self.heads * (self.key_width + self.value_width) * self.value_bytes

    def bytes_at(self, length: int) -> int:
        """What so many tokens take, of question and answer together."""
        kept = float(length)
        if self.window is not None:
            kept += self.windowed_share * (min(length, self.window) - length)
        return round(self.bytes_per_token * kept)


def context_of(settings: Mapping[str, Any], metadata: Mapping[str, str]) -> Context | None:
    """Return how a model keeps what it has read, from its file's words or its folder's; None where they don't tell."""
    try:
        return _ours(metadata) or _of_file(settings) or _of_config(settings)
    except (KeyError, ValueError, TypeError, OverflowError):
        return None


def _number(value: Any) -> int:
    """Return a count that can be one; ValueError for anything else."""
    found = int(value) if isinstance(value, str) and value.isascii() and value.isdecimal() and len(value) < 9 else value
    if type(found) is not int or not 0 < found <= MOST:
        raise ValueError(value)
    return found


def _ours(metadata: Mapping[str, str]) -> Context | None:
    """By what the demo's own files say: layers, heads, head_width, and longest and kept_as where they are told."""
    if "layers" not in metadata or "heads" not in metadata:
        return None
    layers, width = _number(metadata["layers"]), _number(metadata["head_width"])
    return Context(
        layers=layers, heads=layers * _number(metadata["heads"]), key_width=width, value_width=width,
        value_bytes=VALUE_BYTES.get(metadata.get("kept_as", ""), USUAL_VALUE_BYTES),
        longest=_number(metadata["longest"]) if "longest" in metadata else None,
    )  # fmt: skip


def _of_file(settings: Mapping[str, Any]) -> Context | None:
    """By the keys of a GGUF file, each of which begins with the name of the model's make."""
    make = settings.get("general.architecture")
    if not isinstance(make, str):
        return None

    def told(name: str) -> Any:
        return settings.get(f"{make}.{name}")

    if _is_kept_otherwise(name for name in settings if name.startswith(f"{make}.")):
        return None
    layers, all_heads = _number(told("block_count")), told("attention.head_count")
    own = told("attention.head_count_kv") or all_heads
    width = told("attention.key_length") or _share(told("embedding_length"), _first(all_heads))
    window = told("attention.sliding_window")
    return Context(
        layers=layers, heads=_over_layers(own, layers), key_width=_number(width),
        value_width=_number(told("attention.value_length") or width), value_bytes=USUAL_VALUE_BYTES,
        longest=_or_none(told("context_length")),
        # Which of its layers have the window, the file does not always say: without that it is what all would take.
        window=_or_none(window) if told("attention.sliding_window_pattern") else None,
        windowed_share=_windowed(told("attention.sliding_window_pattern")),
    )  # fmt: skip


def _of_config(settings: Mapping[str, Any]) -> Context | None:
    """By a model folder's config.json."""
    inner = settings.get("text_config")
    told: Mapping[str, Any] = {**settings, **inner} if isinstance(inner, dict) else settings
    if "num_hidden_layers" not in told or _is_kept_otherwise(told):
        return None
    layers, all_heads = _number(told["num_hidden_layers"]), told["num_attention_heads"]
    own = told.get("num_key_value_heads") or all_heads
    width = _number(told.get("head_dim") or _share(told["hidden_size"], all_heads))
    kinds = told.get("layer_types")
    slides = isinstance(kinds, list) and told.get("sliding_window") is not None
    return Context(
        layers=layers, heads=_over_layers(own, layers), key_width=width, value_width=width,
        value_bytes=VALUE_BYTES.get(str(told.get("dtype") or told.get("torch_dtype")), USUAL_VALUE_BYTES),
        longest=_or_none(told.get("max_position_embeddings")),
        window=_number(told["sliding_window"]) if slides else None,
        windowed_share=_share_of(kinds, lambda kind: "sliding" in str(kind)) if isinstance(kinds, list) else 0.0,
    )  # fmt: skip


def _is_kept_otherwise(names: Any) -> bool:
    return any(sign in name for name in names for sign in KEPT_OTHERWISE)


def _first(value: Any) -> Any:
    return value[0] if isinstance(value, list) and value else value


def _over_layers(heads: Any, layers: int) -> int:
    """Return the heads of all layers: told once for each, or one number for all."""
    if isinstance(heads, list):
        if len(heads) != layers or any(type(one) is not int or not 0 <= one <= MOST for one in heads):
            raise ValueError(heads)
        return _number(sum(heads))
    return layers * _number(heads)


def _share(whole: Any, parts: Any) -> int:
    return _number(whole) // _number(parts)


def _or_none(value: Any) -> int | None:
    return None if value is None else _number(value)


def _windowed(pattern: Any) -> float:
    return _share_of(pattern, bool) if isinstance(pattern, list) else 0.0


def _share_of(values: list[Any], holds: Callable[[Any], bool]) -> float:
    return sum(map(holds, values)) / len(values) if values else 0.0
