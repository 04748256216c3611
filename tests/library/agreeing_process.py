"""Proposes and agrees as fast as it can, under the names of two people; made to be killed."""

import sys

import msgspec

from zesty_abacus.core.library.store import Library


def main() -> None:
    library = Library.open(sys.argv[1])
    # a server knows people by their logins, a file by their names
    other = Library.open(sys.argv[2])
    while True:
        head = library.layouts.heads()[0]
        layout = msgspec.structs.replace(head.state, note=str(int(head.state.note or "0") + 1))
        key = library.proposals.propose(layout.id, layout, parent=head.revision.id, author="one", reason="more")
        other.proposals.agree(key, author="two")
        sys.stdout.write(f"{layout.note}\n")
        sys.stdout.flush()


if __name__ == "__main__":
    main()
