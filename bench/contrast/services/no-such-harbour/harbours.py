DEPTHS = {"Skerrow": 9, "Holm": 6, "Innish": 4}


def depth_of(name):
    key = name.strip().capitalize()
    depth = DEPTHS.get(key)
    return depth
