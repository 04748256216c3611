"""A writer that commits as fast as it can and acknowledges each commit on standard output; made to be killed."""

import resource
import signal
import sys

import msgspec

from zesty_abacus.core.library.store import Library


def main() -> None:
    library = Library.open(sys.argv[1])
    head = library.layouts.heads()[0]
    layout, parent = head.state, head.revision.id
    if len(sys.argv) > 2:
        # no file may grow further than this: what a full disk does, without one
        signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
        # compiled modules would be cut off as well, and found by the next program
        sys.dont_write_bytecode = True
        resource.setrlimit(resource.RLIMIT_FSIZE, (int(sys.argv[2]), int(sys.argv[2])))
    while True:
        layout = msgspec.structs.replace(layout, note=str(int(layout.note or "0") + 1))
        parent = library.layouts.commit(layout, parent=parent, author="writer").id
        sys.stdout.write(f"{layout.note} {parent}\n")
        sys.stdout.flush()


if __name__ == "__main__":
    main()
