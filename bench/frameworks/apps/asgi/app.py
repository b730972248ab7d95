import asyncio

from passage import quote


async def app(scope, receive, send):
    if scope["type"] == "http":
        await asyncio.sleep(0.001)
        body = str(quote(int(scope["path"].rpartition("/")[2]))).encode()
        await send({"type": "http.response.start", "status": 200, "headers": [(b"content-length", b"%d" % len(body))]})
        await send({"type": "http.response.body", "body": body})
