"""A worker for predictions: the engine is warm before the first task is taken."""

from django.core.management.base import BaseCommand
from procrastinate.contrib.django import app

from kardo.warm import warm


class Command(BaseCommand):
    help = "Take predictions off the queue, one after another, until stopped."

    def handle(self, *args, **options):
        warm()
        with app.replace_connector(app.connector.get_worker_connector()) as worker:
            worker.run_worker(delete_jobs="successful", install_signal_handlers=True)
