"""Members of the sailing club."""
MEMBERS = {"M-12": 0.1, "M-40": 0.15}


def rebate_of(number, total):
    if not number:
        return 0
    share = MEMBERS.get(number, 0)
    return round(total * share, 2)
