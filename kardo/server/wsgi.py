"""The web server's entry. Live answers are many small products of matrices: on one BLAS thread they take half the time of
two that wake and wait for each other, and the other core is left to the workers."""

import os

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
os.environ.setdefault("OMP_WAIT_POLICY", "passive")
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "kardo.server.settings")

from django.core.wsgi import get_wsgi_application

application = get_wsgi_application()
