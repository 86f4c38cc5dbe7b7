"""A process that works for another one: takes a function and what it is given, answers with what it made.

Run as `python -m glyphos.batch.hand READ WRITE PARENT`: two inherited pipes and who it ends with. Standard
output stays free for whatever a library prints.
"""

from __future__ import annotations

import pickle
import sys
from multiprocessing.connection import Connection
from time import process_time

from ..errors import GlyphosError, sentence
from ..processes import end_with


def serve(read: int, write: int) -> None:
    """Do what is asked until nobody asks any more. Answers: (True, value, seconds of the processor) or
    (False, a sentence, whether a person can act on it)."""
    asked, told = Connection(read, writable=False), Connection(write, readable=False)
    while True:
        try:
            request = asked.recv_bytes()
        except EOFError:
            return
        began = process_time()
        try:
            function, given = pickle.loads(request)
            answer = (True, function(*given), process_time() - began)
        except Exception as error:  # whatever it is, it is told; the next task may be a better one
            answer = (False, sentence(error), isinstance(error, GlyphosError))
        told.send_bytes(pickle.dumps(answer, pickle.HIGHEST_PROTOCOL))


if __name__ == "__main__":
    end_with(int(sys.argv[3]))
    serve(int(sys.argv[1]), int(sys.argv[2]))
