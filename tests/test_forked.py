"""Processes of a loaded program: what they say of how they ended."""

import threading

from tests.cli.program import COMMAND
from tests.forked import Forked

WORDS = {("--version",): 0, ("frames", "none.log"): 1, ("frames", "--nonsense"): 2}


def test_the_exit_code_is_the_same_for_all_who_ask(tmp_path):
    """Threads that wait for output ask all the time, and so does the one that waits for the end."""
    for words, code in WORDS.items():
        process, heard = Forked(COMMAND, [*words], tmp_path / "out", tmp_path / "err"), []

        def ask(process=process, heard=heard):
            while process.is_running:
                pass
            heard.append(process.wait())

        threads = [threading.Thread(target=ask) for _ in range(4)]
        for thread in threads:
            thread.start()
        heard.append(process.wait(60))
        for thread in threads:
            thread.join()
        assert heard == [code] * 5
