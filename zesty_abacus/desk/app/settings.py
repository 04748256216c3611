"""What the program remembers between runs: theme, recent trials, the name changes are kept under."""

from __future__ import annotations

import contextlib
from pathlib import Path

import msgspec
import platformdirs

from ...core.files.errors import FileError
from ...core.files.reading import read_file, resolved
from ...core.files.writing import keep_file

_RECENT = 12
_MOST_BYTES = 4 << 20


class Settings(msgspec.Struct, kw_only=True):
    """Remembered choices; a missing or damaged file means the defaults."""

    theme: str = "Peel"
    author: str = ""
    text_percent: int = 100
    strip_folded: bool = False
    recent: list[str] = []


def settings_path() -> Path:
    """Return where settings are kept."""
    return Path(platformdirs.user_config_dir("zesty-abacus")) / "settings.json"


def table_columns_path() -> Path:
    """Return where it is kept what the columns of tables meant."""
    return settings_path().with_name("table-columns.json")


def unsent_folder() -> Path:
    """Return where edits wait for libraries that do not answer."""
    return Path(platformdirs.user_data_dir("zesty-abacus")) / "unsent"


def known_servers_path() -> Path:
    """Return where it is kept which servers this user has named."""
    return settings_path().with_name("servers.json")


def reports_folder() -> Path:
    """Return where reports about faults of the program lie."""
    return Path(platformdirs.user_state_dir("zesty-abacus")) / "reports"


def spools_folder() -> Path:
    """Return where readings wait that another program has not taken yet."""
    return Path(platformdirs.user_state_dir("zesty-abacus")) / "forward"


def demo_folder() -> Path:
    """Return where the user's copy of the Yuzu trial lies."""
    return Path(platformdirs.user_data_dir("zesty-abacus")) / "yuzu"


def trials_folder() -> Path:
    """Return where trials lie whose recordings are in a folder that cannot be written."""
    return Path(platformdirs.user_data_dir("zesty-abacus")) / "trials"


def load_settings() -> Settings:
    """Read the settings."""
    try:
        return msgspec.json.decode(read_file(settings_path(), _MOST_BYTES), type=Settings)
    except (FileError, msgspec.DecodeError):
        return Settings()


def save_settings(settings: Settings) -> None:
    """Write the settings; a folder that cannot be written costs only the memory of them."""
    path = settings_path()
    with contextlib.suppress(OSError, FileError):
        path.parent.mkdir(parents=True, exist_ok=True)
        keep_file(path, msgspec.json.format(msgspec.json.encode(settings), indent=1))


def with_recent(settings: Settings, trial: Path) -> Settings:
    """Return settings with a trial first among the recent ones."""
    name = str(resolved(trial))
    recent = [name, *(item for item in settings.recent if item != name)][:_RECENT]
    return msgspec.structs.replace(settings, recent=recent)
