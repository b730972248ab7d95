"""What is printed."""


class Ticket:
    def __init__(self, harbour, moment, seats, price):
        self.harbour = harbour
        self.moment = moment
        self.seats = seats
        self.price = price

    def as_dict(self):
        text = f"{self.harbour} {self.moment.day} {self.moment.hour:02d}"
        return {"text": text, "seats": self.seats, "price": self.price}
