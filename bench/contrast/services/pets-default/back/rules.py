RULES = {
    "Kestrel": {"most": 2, "fee": 4, "fare": 14, "muzzle": True},
    "Petrel": {"most": 1, "fee": 6, "fare": 11, "muzzle": False},
}


def animal_rule(boat):
    rule = RULES.get(boat)
    if rule is None:
        raise LookupError(f"no boat {boat}")
    return rule
