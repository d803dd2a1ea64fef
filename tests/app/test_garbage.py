"""Where garbage is taken apart: a widget in another thread would damage memory."""

import gc
import threading

from impeto.app.garbage import Garbage


class Round:
    """Holds itself, and says in which thread it goes."""

    def __init__(self, gone):
        self.itself, self.gone = self, gone

    def __del__(self):
        self.gone.append(threading.current_thread())


def test_garbage_that_a_run_leaves_goes_in_the_thread_of_the_window(qtbot, qapp):
    def work():
        for _ in range(3 * gc.get_threshold()[0]):
            Round(gone)

    gone = []
    collector = Garbage(qapp)
    thread = threading.Thread(target=work)
    thread.start()
    thread.join()
    assert not gone
    qtbot.waitUntil(lambda: len(gone) > 2 * gc.get_threshold()[0])
    assert set(gone) == {threading.main_thread()}
    collector.deleteLater()
