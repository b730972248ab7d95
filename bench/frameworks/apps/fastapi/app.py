from fastapi import FastAPI
from fastapi.responses import PlainTextResponse

from passage import quote

app = FastAPI()


@app.get("/quotes/{number}", response_class=PlainTextResponse)
def quotes(number: int):
    return str(quote(number))
