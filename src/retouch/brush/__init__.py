"""The brush: strokes as data, and what they stamp on a frame."""
