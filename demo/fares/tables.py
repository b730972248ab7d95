"""The price tables of the office, read from demo/data when they are first needed."""

import csv
import os
from decimal import Decimal

DATA = os.path.join(os.path.dirname(os.path.dirname(os.path.abspath(__file__))), "data")


def _rows(name):
    with open(os.path.join(DATA, name), encoding="utf-8", newline="") as file:
        return list(csv.DictReader(file))


def read_fares():
    """{(from, to, season, kind): price of a single trip}"""
    fares = {}
    for row in _rows("fares.csv"):
        key = (row["from"], row["to"], row["season"], row["kind"])
        fares[key] = Decimal(row["single"])
    return fares


def read_discounts():
    """{name: the part of the price that is taken off}"""
    discounts = {}
    for row in _rows("discounts.csv"):
        value = row["value"].strip()
        if value.endswith("%"):
            discounts[row["name"]] = Decimal(value[:-1]) / 100
        else:
            discounts[row["name"]] = Decimal(value)
    return discounts


def read_extras():
    """{season: [(name, amount)]}: what is added to every ticket of a season"""
    extras = {}
    for row in _rows("extras.csv"):
        extras.setdefault(row["season"], []).append((row["name"], Decimal(row["amount"])))
    return extras
