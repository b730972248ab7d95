"""The same service as a WSGI application."""

import json

from handlers import answer

REASONS = {200: "OK", 400: "Bad Request", 404: "Not Found", 405: "Method Not Allowed"}


def application(environ, start_response):
    length = int(environ.get("CONTENT_LENGTH") or 0)
    body = environ["wsgi.input"].read(length)
    status, answered = answer(environ["REQUEST_METHOD"], environ["PATH_INFO"], body)
    text = json.dumps(answered).encode("utf-8")
    headers = [("Content-Type", "application/json"), ("Content-Length", str(len(text)))]
    start_response("%d %s" % (status, REASONS[status]), headers)
    return [text]
