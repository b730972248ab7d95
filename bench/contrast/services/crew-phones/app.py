"""The telephone list of the crew, and who may see which number."""
from listing import Listing
from numbers_of import normal
from people import person_from


def handle(path, body):
    if path != "/phones":
        return {"error": "unknown"}
    number = normal(body.get("phone", ""))
    if number is None:
        return {"error": "that is no number"}
    person = person_from(body)
    listing = Listing()
    listing.put(person, number)
    return {
        "entry": listing.entry(person),
        "group": listing.group(person),
        "alarm": listing.alarm(person),
    }
