"""Wide boats take the place of two."""
import logging

WIDTHS = {"sail": 1.0, "motor": 1.1, "cat": 1.6}


def factor_of(boat):
    kind = boat.get("kind", "sail")
    try:
        return WIDTHS[kind]
    except KeyError:
        logging.debug("no width for %s", kind)
        return 1.0
