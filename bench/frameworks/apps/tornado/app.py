import sys

from tornado.ioloop import IOLoop
from tornado.web import Application, RequestHandler

from passage import quote


class Quotes(RequestHandler):
    def get(self, number):
        self.write(str(quote(int(number))))


Application([(r"/quotes/(\d+)", Quotes)]).listen(int(sys.argv[1]), "127.0.0.1")
IOLoop.current().start()
