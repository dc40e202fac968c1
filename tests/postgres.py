"""A PostgreSQL server of one's own for the tests: a temporary folder, a free port of this machine, gone afterwards."""

from __future__ import annotations

import os
import shutil
import socket
import subprocess
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


def programs() -> Path | None:
    """The folder of the server's programs; None if they are not here."""
    try:
        found = subprocess.run(["pg_config", "--bindir"], capture_output=True, text=True, check=True).stdout.strip()
    except (OSError, subprocess.CalledProcessError):
        return None
    return Path(found) if Path(found, "initdb").is_file() else None


def why_not() -> str:
    """Why there is no server here; blank if there can be one."""
    if programs() is None:
        return "PostgreSQL's server is not installed (Debian: apt-get install postgresql)"
    if os.geteuid() == 0 and _user() is None:
        return "PostgreSQL does not run as root, and there is no user 'postgres' or 'nobody'"
    return ""


def _user() -> str | None:
    import pwd

    known = {each.pw_name for each in pwd.getpwall()}
    return next((name for name in ("postgres", "nobody") if name in known), None)


class Server:
    """A running server.

    Attributes:
        folder: Its data.
        port: Its port on 127.0.0.1.
    """

    def __init__(self, folder: Path, port: int) -> None:
        self.folder = folder
        self.port = port
        self.user = _user() if os.geteuid() == 0 else None

    def url(self, database: str = "postgres") -> str:
        """The URL of a database."""
        return f"postgresql+psycopg://dokima@127.0.0.1:{self.port}/{database}"

    def run(self, program: str, *arguments: str) -> None:
        """Run a program of the server as an ordinary user."""
        folder = programs()
        assert folder is not None
        how = {} if self.user is None else {"user": self.user}
        log = self.folder.parent / "log.txt"
        with log.open("a") as out:
            done = subprocess.run(
                [str(folder / program), *arguments], stdout=out, stderr=out, check=False, cwd=self.folder.parent, **how
            )
        if done.returncode:
            raise RuntimeError(f"{program}: {log.read_text()[-2000:]}")

    def start(self) -> None:
        """Start it; a second time after `stop` too."""
        options = f"-p {self.port} -k {self.folder.parent} -c listen_addresses=127.0.0.1 -c fsync=off"
        self.run("pg_ctl", "-D", str(self.folder), "-w", "-o", options, "start")

    def stop(self, how: str = "immediate") -> None:
        """Stop it; ``immediate`` is as if the machine had lost power."""
        self.run("pg_ctl", "-D", str(self.folder), "-m", how, "-w", "stop")


@contextmanager
def server() -> Iterator[Server]:
    """A server that is started, and stopped and removed at the end."""
    place = Path(tempfile.mkdtemp(prefix="dokima-postgres-"))
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    found = Server(place / "data", port)
    try:
        if found.user is not None:
            shutil.chown(place, found.user)
        found.run(
            "initdb", "-D", str(found.folder), "-U", "dokima", "-A", "trust", "-E", "UTF8", "--no-sync", "--locale=C"
        )
        found.start()
        yield found
        found.stop()
    finally:
        shutil.rmtree(place, ignore_errors=True)
