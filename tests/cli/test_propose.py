"""``library propose`` says when there is nothing to propose."""

from __future__ import annotations

import json

from .program import run


def test_what_the_library_has_already_is_not_proposed_and_told(trial, tmp_path):
    library, file = tmp_path / "team.sqlite", tmp_path / "layouts.json"
    run("library", "new", library)
    run("library", "import", library, trial / "layouts.json")
    code, out, err = run("library", "propose", library, trial / "layouts.json", "--reason", "as it is")
    count = len(json.loads((trial / "layouts.json").read_text())["layouts"])
    assert (code, out) == (0, "") and f"{count} layouts are as the library has it; nothing is proposed." in err
    document = json.loads((trial / "layouts.json").read_text())
    document["layouts"] = document["layouts"][:2]
    document["layouts"][0]["note"] = "another note"
    file.write_text(json.dumps(document))
    code, out, err = run("library", "propose", library, file, "--reason", "a note")
    assert code == 0 and out.strip().endswith(document["layouts"][0]["name"])
    assert "1 layout is as the library has it." in err
