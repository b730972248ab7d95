"""Tables of the office."""
BASE = {"tarrin": 12.0, "skerrow": 18.5, "holm": 9.0}
KINDS = {"adult": 1.0, "child": 0.5, "senior": 0.8}
RETURN_FACTOR = 1.8
