"""Runs the fares service on the standard library's threaded server: python3 serve.py [PORT]"""

import json
import sys
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

from handlers import answer


class FaresHandler(BaseHTTPRequestHandler):
    protocol_version = "HTTP/1.1"
    # Headers and body are two writes; without this the second waits for the client's delayed answer.
    disable_nagle_algorithm = True

    def do_GET(self):
        self.reply()

    def do_POST(self):
        self.reply()

    def reply(self):
        length = int(self.headers.get("Content-Length") or 0)
        status, body = answer(self.command, self.path, self.rfile.read(length))
        text = json.dumps(body).encode("utf-8")
        self.send_response(status)
        self.send_header("Content-Type", "application/json")
        self.send_header("Content-Length", str(len(text)))
        self.end_headers()
        self.wfile.write(text)

    def log_message(self, format, *args):
        pass


def main():
    port = int(sys.argv[1]) if len(sys.argv) > 1 else 0
    server = ThreadingHTTPServer(("127.0.0.1", port), FaresHandler)
    server.daemon_threads = True
    print("fares listens on http://127.0.0.1:%d" % server.server_address[1], flush=True)
    try:
        server.serve_forever()
    except KeyboardInterrupt:
        pass


if __name__ == "__main__":
    main()
