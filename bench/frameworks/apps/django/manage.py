import sys

from django.conf import settings
from django.core.asgi import get_asgi_application
from django.core.management import execute_from_command_line
from django.http import HttpResponse
from django.urls import path

from passage import quote

settings.configure(DEBUG=True, ROOT_URLCONF=__name__, ALLOWED_HOSTS=["*"], SECRET_KEY="ferry")


def quotes(request, number):
    return HttpResponse(str(quote(number)))


urlpatterns = [path("quotes/<int:number>", quotes)]
if __name__ == "__main__":
    execute_from_command_line(sys.argv)
else:
    app = get_asgi_application()
