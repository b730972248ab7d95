import sys

from aiohttp import web

from passage import quote


async def quotes(request):
    return web.Response(text=str(quote(int(request.match_info["number"]))))


app = web.Application()
app.add_routes([web.get("/quotes/{number}", quotes)])
web.run_app(app, host="127.0.0.1", port=int(sys.argv[1]), print=None)
