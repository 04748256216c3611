import gc
import subprocess
import sys

from zesty_abacus.core.files.scratch import ScratchFolder


def test_a_folder_goes_with_its_holder():
    folder = ScratchFolder("zesty-test-")
    path = folder.path
    (path / "inside").mkdir()
    (path / "inside" / "a").write_bytes(b"1")
    assert path.is_dir()
    del folder
    gc.collect()
    assert not path.exists()


def test_and_at_the_end_of_the_program():
    code = "from zesty_abacus.core.files.scratch import ScratchFolder as S; kept = S('zesty-test-'); print(kept.path)"
    path = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout.strip()
    assert path and subprocess.run(["test", "-e", path]).returncode == 1
