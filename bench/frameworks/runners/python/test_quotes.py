import unittest

from passage import quote


class QuotesTest(unittest.TestCase):
    def test_a_fare(self):
        self.assertEqual(quote(2), 4)

    def test_a_fault(self):
        self.assertEqual(quote(21), 43)
