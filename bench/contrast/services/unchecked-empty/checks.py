HARBOURS = ["Holm", "Skerrow"]


def check(name, harbour):
    if not name:
        return "no name"
    if harbour not in HARBOURS:
        return "no such harbour"
    return None
