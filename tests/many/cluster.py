"""A cluster of two MariaDB servers with synchronous copies (Galera), on loopback: each may be written to, and a commit
that meets another one's is refused."""

from __future__ import annotations

import shutil
import signal
import subprocess
import time
from pathlib import Path

import pymysql

from easy_pocket.home.dumps import tool
from easy_pocket.home.mariadb import MariaDb, free_port

GALERA = Path("/usr/lib/galera/libgalera_smm.so")
START_S = 60.0


class Node:
    """One server. The first one begins the cluster, and goes on without the other."""

    def __init__(self, folder: Path, number: int, ports: dict[str, int], joins: str) -> None:
        self.folder, self.port = folder, ports["sql"]
        self.name = f"node{number}"
        listens = f"base_port={ports['group']};ist.recv_addr=127.0.0.1:{ports['copies']};pc.weight={2 - number}"
        options = f"gmcast.listen_addr=tcp://127.0.0.1:{ports['group']};{listens};gcache.size=16M"
        log = (folder / "log.txt").open("ab")
        (folder / "tmp").mkdir(exist_ok=True)
        self.process = subprocess.Popen(
            [
                tool("mariadbd"), "--no-defaults", f"--datadir={folder / 'db'}", f"--socket={folder / 's.sock'}",
                f"--pid-file={folder / 'pid'}", f"--tmpdir={folder / 'tmp'}", f"--port={self.port}",
                "--bind-address=127.0.0.1", "--character-set-server=utf8mb4", "--collation-server=utf8mb4_unicode_ci",
                "--max-allowed-packet=256M", "--skip-name-resolve", "--innodb-use-native-aio=OFF",
                "--innodb-autoinc-lock-mode=2", "--binlog-format=ROW", "--wsrep-on=ON", f"--wsrep-provider={GALERA}",
                f"--wsrep-cluster-address=gcomm://{joins}", "--wsrep-cluster-name=harbour",
                f"--wsrep-node-name={self.name}", "--wsrep-node-address=127.0.0.1",
                f"--wsrep-provider-options={options}", "--wsrep-sst-method=rsync",
                "--wsrep-mode=STRICT_REPLICATION,REQUIRED_PRIMARY_KEY,DISALLOW_LOCAL_GTID", "--user=root",
            ],
            stdin=subprocess.DEVNULL, stdout=log, stderr=log, start_new_session=True,
        )  # fmt: skip

    def wait(self) -> None:
        """Until it is a member that answers."""
        end = time.monotonic() + START_S
        while time.monotonic() < end and self.process.poll() is None:
            try:
                if self.status("wsrep_ready") == "ON":
                    return
            except pymysql.err.MySQLError:
                pass
            time.sleep(0.1)
        raise RuntimeError(f"{self.name} is no member: {(self.folder / 'log.txt').read_text()[-3000:]}")

    def root(self) -> pymysql.connections.Connection:
        return pymysql.connect(unix_socket=str(self.folder / "s.sock"), user="root", charset="utf8mb4")

    def status(self, name: str) -> str:
        with self.root() as connection, connection.cursor() as cursor:
            cursor.execute("SHOW STATUS LIKE %s", (name,))
            found = cursor.fetchone()
        return str(found[1]) if found else ""

    def kill(self) -> None:
        self.process.send_signal(signal.SIGKILL)
        self.process.wait()

    def stop(self) -> None:
        if self.process.poll() is None:
            self.process.terminate()
            self.process.wait(30)


class Cluster:
    """Two nodes that begin with the same empty folder; `urls` has one for each."""

    def __init__(self, folder: Path) -> None:
        made = MariaDb(folder / "made")
        url = made.start()
        made.stop()
        self.folder, self.ports = folder, [{one: free_port() for one in ("sql", "group", "copies")} for _ in range(2)]
        self.urls = [url.replace(f":{made.port}/", f":{ports['sql']}/") for ports in self.ports]
        for number in range(2):
            (folder / f"node{number}").mkdir()
        (folder / "made" / "db").rename(folder / "node0" / "db")
        alone = Node(folder / "node0", 0, self.ports[0], "")
        alone.wait()
        alone.stop()
        # The second one begins with the same: only its mark is copied as it joins, by who may do less than root.
        shutil.copytree(folder / "node0" / "db", folder / "node1" / "db", ignore=shutil.ignore_patterns("galera.cache"))
        for one in (folder, folder / "node1", folder / "node1" / "db"):
            one.chmod(0o777)
        first = f"127.0.0.1:{self.ports[0]['group']}"
        self.nodes = []
        for number in range(2):
            self.nodes.append(Node(folder / f"node{number}", number, self.ports[number], first if number else ""))
            self.nodes[number].wait()

    def close(self) -> None:
        for node in reversed(self.nodes):
            node.stop()
