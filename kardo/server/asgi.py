"""The web server's entry: ordinary requests in threads, events as streams. Live answers are many small products of matrices:
on one BLAS thread they take half the time of two that wake and wait for each other, and the other core is left to the workers."""

import os
import warnings

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
os.environ.setdefault("OMP_WAIT_POLICY", "passive")
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "kardo.server.settings")

from django.core.asgi import get_asgi_application

# files of the front end are read whole before they are sent, which is what is wanted
warnings.filterwarnings("ignore", message="StreamingHttpResponse must consume synchronous iterators")

application = get_asgi_application()
