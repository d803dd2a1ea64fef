"""What every process of a pool needs, imported once in the server that they are copied from."""

from impeto.core import simulate
from impeto.services import recording_file
from impeto.services.studies import tasks

__all__ = ["recording_file", "simulate", "tasks"]
