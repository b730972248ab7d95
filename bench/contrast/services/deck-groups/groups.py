"""Groups of at most four."""
SIZE = 4


def groups_of(names):
    count = len(names) // SIZE + 1
    groups = []
    for n in range(count):
        first = n * SIZE
        group = names[first:first + SIZE]
        groups.append(group)
    return groups
