"""Telephone numbers in one way of writing."""
import re


def normal(text):
    digits = re.sub(r"[^0-9]", "", text)
    if len(digits) < 6:
        return None
    return f"{digits[:4]} {digits[4:]}"
