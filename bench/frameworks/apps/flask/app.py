from flask import Flask

from passage import quote

app = Flask(__name__)


@app.get("/quotes/<int:number>")
def quotes(number):
    return str(quote(number))
