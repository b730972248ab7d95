"""Texts as they can be signalled."""
MOST = 40


def tidy(text):
    words = text.upper().split()
    return " ".join(words)[:MOST]
