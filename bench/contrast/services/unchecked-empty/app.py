from checks import check
from numbers_of import next_number


def handle(path, body):
    fault = check(body["name"], body["harbour"])
    if fault:
        return {"fault": fault}
    number = next_number(body["harbour"])
    label = label_of(body["name"], number)
    return {"number": number, "label": label}


def label_of(name, number):
    short = name.strip().split(" ")[0]
    return "%s-%d" % (short, number)
