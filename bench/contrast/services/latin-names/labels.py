WIDTH = 24


def label_for(raw, deck):
    text = raw.decode("latin-1")
    title = text.strip().upper()
    line = "%s / %s" % (title, deck["title"])
    if len(line) > WIDTH:
        line = line[:WIDTH]
    return line


def width_of(label):
    width = len(label)
    if width < 10:
        return "narrow"
    return "wide"
