from passage import quote


def app(environ, start_response):
    body = str(quote(int(environ["PATH_INFO"].rpartition("/")[2]))).encode()
    start_response("200 OK", [("Content-Type", "text/plain"), ("Content-Length", str(len(body)))])
    return [body]
