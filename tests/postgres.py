"""A private PostgreSQL server for tests, from the system's package, on a socket of its own; none where there is no package."""

import contextlib
import getpass
import os
import pwd
import shutil
import subprocess
import tempfile
import time
from pathlib import Path

OWNER = "bathyx_owner"


def binaries():
    found = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"), key=lambda p: int(p.parts[-3]))
    return found[-1].parent if found else None


class Server:
    """initdb, start, stop, kill; `url(db, user)`. A server does not run as root, so it is handed to another user then."""

    def __init__(self):
        self.bin = binaries()
        self.root = Path(tempfile.mkdtemp(prefix="bathyx-pg-"))
        self.data, self.port = self.root / "data", 54000 + os.getpid() % 1000
        self.user = getpass.getuser()
        if os.geteuid() == 0:
            self.user = next(u.pw_name for u in pwd.getpwall() if u.pw_name in ("postgres", "nobody"))
            shutil.chown(self.root, self.user)
        self._run("initdb", "-D", self.data, "-U", OWNER, "-A", "trust", "--no-sync", "-E", "UTF8", "--locale=C.UTF-8")
        with open(self.data / "postgresql.conf", "a") as conf:
            conf.write(
                f"port = {self.port}\nlisten_addresses = '127.0.0.1'\nunix_socket_directories = '{self.root}'\n"
                "max_connections = 60\nshared_buffers = 16MB\n"
            )
        self.start()

    def _run(self, tool, *arguments):
        line = [str(self.bin / tool), *map(str, arguments)]
        if os.geteuid() == 0:
            line = [
                "setpriv",
                f"--reuid={self.user}",
                f"--regid={pwd.getpwnam(self.user).pw_gid}",
                "--clear-groups",
                *line,
            ]
        subprocess.run(line, check=True, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, cwd="/", timeout=60)

    def start(self):
        self._run("pg_ctl", "-D", self.data, "-w", "-l", self.root / "log", "start")

    def stop(self, how="fast"):
        with contextlib.suppress(subprocess.CalledProcessError):
            self._run("pg_ctl", "-D", self.data, "-w", "-m", how, "stop")

    def kill(self):
        """As when its machine goes down: no goodbye, and what was not flushed is lost."""
        pid = int((self.data / "postmaster.pid").read_text().splitlines()[0])
        children = Path(f"/proc/{pid}/task/{pid}/children").read_text().split()
        for one in (pid, *map(int, children)):
            with contextlib.suppress(ProcessLookupError):
                os.kill(one, 9)
        for _ in range(100):
            if not Path(f"/proc/{pid}").exists():
                break
            time.sleep(0.05)
        (self.data / "postmaster.pid").unlink(missing_ok=True)

    def url(self, database="postgres", user=OWNER):
        return f"postgresql://{user}@127.0.0.1:{self.port}/{database}"

    def sql(self, statement, database="postgres", user=OWNER):
        import psycopg

        with psycopg.connect(self.url(database, user), autocommit=True) as connection:
            cursor = connection.execute(statement)
            return cursor.fetchall() if cursor.description else []

    def remove(self):
        self.stop("immediate")
        shutil.rmtree(self.root, ignore_errors=True)
