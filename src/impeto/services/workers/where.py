"""Workers by what a user says of them."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from impeto.services.workers.processes import Processes
from impeto.services.workers.task import Workers


@contextmanager
def at(workers: Workers | str | None) -> Iterator[Workers]:
    """Workers by the address of a scheduler, or processes of this machine for None; closed at the
    end unless they were handed over. Raises ClusterError."""
    if workers is not None and not isinstance(workers, str):
        yield workers
        return
    if workers is None:
        made: Workers = Processes()
    else:
        from impeto.services.workers.cluster import Cluster  # takes half a second to import

        made = Cluster(workers)
    try:
        yield made
    finally:
        made.close()
