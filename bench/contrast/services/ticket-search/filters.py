"""What a search asks for, as tests that a row passes or not."""


def by_name(name):
    wanted = name.strip().lower()

    def test(row):
        return row["name"].lower().startswith(wanted)

    return test


def by_port(port):
    def test(row):
        return row["port"] == port

    return test


def build(body):
    tests = []
    if body.get("name"):
        tests.append(by_name(body["name"]))
    if body.get("port"):
        tests.append(by_port(body["port"]))
    return tests


def passes(row, tests):
    if not tests:
        return True
    return any(test(row) for test in tests)


def matching(all_rows, tests):
    found = []
    for row in all_rows:
        if passes(row, tests):
            found.append(row)
    return found
