"""The look that the terminal, plots and pages share: a shape and a colour for each form, always both.

The tones are readable (contrast of 3 and more) on dark and on light ground and stay apart in the common forms of
colour blindness; tests/show/test_palette.py holds them to it.
"""

INK, PAPER = "#1d2a35", "#f6f3ec"
DARK = "#10141a"
SKY, CLAY, MOSS, PLUM, STRAW = "#2870c9", "#bd4636", "#6c9163", "#8a6284", "#b27a14"

FORM_COLOURS = {"full": SKY, "quantized": CLAY, "distilled": MOSS, "tuned": PLUM, "mixed": STRAW}
FORM_MARKS = {"full": "●", "quantized": "■", "distilled": "▲", "tuned": "◆", "mixed": "★"}

WARNING = CLAY
REFERENCE_LINE = "│"
INTERVAL_BAR = "━"
RUN_DOT = "·"
