"""How rows are shown."""
DAYS = ["", "Mon", "Tue", "Wed", "Thu", "Fri"]


def line(row):
    return f"{row['id']}: {row['name']} to {row['port']} on {DAYS[row['day']]}"


def page(found, limit):
    ordered = sorted(found, key=lambda row: row["day"])
    return [line(row) for row in ordered[:limit]]
