"""What every process of a pool needs, made ready once in the server that they are copied from."""

from impeto.core import simulate
from impeto.services import recording_file, warmup
from impeto.services.studies import tasks

__all__ = ["recording_file", "simulate", "tasks"]

if warmup.is_prepared():
    warmup.run_all_kinds()
