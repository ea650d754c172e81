"""Made-up sitters that one can believe: shape, skin, light, and exact labels.

Run by hand, with the packages of the group ``sitters``: ``uv run --group sitters python -m demo.sitters``.
"""
