"""A writer that commits as fast as it can and acknowledges each commit on standard output; made to be killed."""

import sys

import msgspec

from zesty_abacus.core.library.store import Library


def main() -> None:
    library = Library.open(sys.argv[1])
    head = library.heads()[0]
    layout, parent = head.layout, head.revision.id
    while True:
        layout = msgspec.structs.replace(layout, note=str(int(layout.note or "0") + 1))
        parent = library.commit(layout, parent=parent, author="writer").id
        sys.stdout.write(f"{layout.note} {parent}\n")
        sys.stdout.flush()


if __name__ == "__main__":
    main()
