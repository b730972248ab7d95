"""What has been on the sign."""
NAMES = {"desk": "Harbour desk", "crew": "The crew"}


class Archive:
    def __init__(self):
        self.count = {}

    def keep(self, sender, text):
        self.count[sender] = len(text)

    def name(self, sender):
        return NAMES.get(sender, sender)
