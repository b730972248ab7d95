"""Prices."""
PRICES = {"deck": 24.0, "bow": 31.5}
REBATES = [(20, 0.15), (10, 0.1)]
WRAPPING = 1.5
