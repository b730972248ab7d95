COUNTS = {"Holm": 100, "Skerrow": 500}


def next_number(harbour):
    return COUNTS[harbour] + 1
