"""A standalone cluster on loopback: a master, workers and the connect server, from the packages that pip installs; started, and all of it
stopped."""

from __future__ import annotations

import importlib.util
import os
import shutil
import signal
import socket
import subprocess
import time
from collections.abc import Iterator, Mapping
from contextlib import ExitStack, contextmanager, suppress
from pathlib import Path

import pyarrow.parquet as pq

from nexorem.core.diagnostics import refuse
from nexorem.core.model.star import Star
from nexorem.package.written import write_parquet
from nexorem.sql.tree import plain_name
from nexorem.store.cluster import free_port
from nexorem.store.spark import spark

HOST = "127.0.0.1"
CONNECT = "org.apache.spark.sql.connect.service.SparkConnectServer"
MASTER, WORKER = "org.apache.spark.deploy.master.Master", "org.apache.spark.deploy.worker.Worker"
WORKERS = 2
MEMORY = "2g"
# Over few rows, compiling costs more than it saves.
ALONE = {
    "spark.driver.extraJavaOptions": "-XX:TieredStopAtLevel=1",
    "spark.sql.codegen.wholeStage": "false",
    "spark.sql.codegen.factoryMode": "NO_CODEGEN",
}
SECONDS_TO_START = 90.0
SECONDS_TO_STOP = 10.0


def home() -> Path:
    """Where the cluster's programs are; refuses where they, or Java, are not installed."""
    found = importlib.util.find_spec("pyspark")
    folder = Path(next(iter(found.submodule_search_locations or [""]))) if found else Path()
    if not (folder / "jars").is_dir():
        hint = "Start it with ./nexorem cluster-demo, which installs them."
        raise refuse("no_cluster", "The cluster's programs are not installed.", hint)
    if shutil.which("java") is None:
        hint = "Ask an administrator to run: apt-get install --no-install-recommends openjdk-17-jre-headless"
        raise refuse("no_java", "Java is not installed, and the cluster needs it.", hint)
    return folder


@contextmanager
def cluster(folder: Path, port: int, workers: int = WORKERS) -> Iterator[str]:
    """A cluster that runs as long as the block; gives its address. Logs, work and tables lie in `folder`. Without workers the connect
    server works out everything itself, on one core."""
    programs = home()
    folder.mkdir(parents=True, exist_ok=True)
    with socket.socket() as free:
        if free.connect_ex((HOST, port)) == 0:
            raise refuse("port_taken", f"Port {port} is taken by another program.", "Name another one with --port.")
    with ExitStack() as running:

        def start(name: str, *command: str) -> subprocess.Popen[bytes]:
            return running.enter_context(_process(folder / f"{name}.log", folder, [str(programs / "bin" / command[0]), *command[1:]]))

        address = "local[1]"
        if workers:
            master = free_port()
            address = f"spark://{HOST}:{master}"
            first = start("master", "spark-class", MASTER, "--host", HOST, "--port", str(master), "--webui-port", "0")
            _wait_for(master, first, folder / "master.log")
        for number in range(workers):
            own = ["--host", HOST, "--cores", "1", "--memory", MEMORY, "--webui-port", "0", "--work-dir", str(folder / "work")]
            start(f"worker-{number + 1}", "spark-class", WORKER, *own, address)
        settings = {
            "spark.connect.grpc.binding.address": HOST,
            "spark.connect.grpc.binding.port": str(port),
            "spark.driver.host": HOST,
            "spark.driver.bindAddress": HOST,
            "spark.ui.enabled": "false",
            "spark.sql.warehouse.dir": str(folder / "warehouse"),
            "spark.sql.shuffle.partitions": str(2 * workers or 1),
            **({} if workers else ALONE),
        }
        given = [x for name, value in settings.items() for x in ("--conf", f"{name}={value}")]
        resources = ["--driver-memory", MEMORY, "--executor-memory", MEMORY, "--executor-cores", "1"]
        server = start("connect", "spark-submit", "--master", address, *resources, "--class", CONNECT, *given, "spark-internal")
        _wait_for(port, server, folder / "connect.log")
        yield f"sc://{HOST}:{port}"


@contextmanager
def _process(log: Path, folder: Path, command: list[str]) -> Iterator[subprocess.Popen[bytes]]:
    """A program with its children, ended with the block."""
    environment = {**os.environ, "SPARK_LOCAL_IP": HOST, "SPARK_MASTER_HOST": HOST, "SPARK_LOCAL_DIRS": str(folder / "scratch")}
    with log.open("wb") as out:
        started = subprocess.Popen(
            command, stdout=out, stderr=out, stdin=subprocess.DEVNULL, cwd=folder, env=environment, start_new_session=True
        )
    try:
        yield started
    finally:
        with suppress(ProcessLookupError):
            os.killpg(started.pid, signal.SIGTERM)
        try:
            started.wait(SECONDS_TO_STOP)
        except subprocess.TimeoutExpired:
            with suppress(ProcessLookupError):
                os.killpg(started.pid, signal.SIGKILL)
            started.wait()


def _wait_for(port: int, process: subprocess.Popen[bytes], log: Path) -> None:
    """Until somebody listens there; refuses where the program ends before, or takes too long."""
    late = time.monotonic() + SECONDS_TO_START
    while time.monotonic() < late:
        with socket.socket() as there:
            if there.connect_ex((HOST, port)) == 0:
                return
        if process.poll() is not None:
            break
        time.sleep(0.2)
    raise refuse("cluster", f"The cluster's {log.stem} did not start.", f"Its log is {log}.")


def write_tables(star: Star, folder: Path) -> dict[str, Path]:
    """The tables of a model as Parquet, by the names that they have there."""
    folder.mkdir(parents=True, exist_ok=True)
    files = {}
    for table in star.model.tables:
        path = folder / f"{plain_name(table.name)}.parquet"
        with path.open("wb") as out:
            write_parquet({c.name: star.column(table.name, c.name) for c in table.columns}, out)
        files[plain_name(table.name)] = path
    return files


def put_tables(url: str, files: Mapping[str, Path], seconds: float) -> None:
    """Makes tables of Parquet files known to a cluster, in place of those of the same names."""
    with spark(url, seconds) as asking:
        for name, path in files.items():
            asking.rows(f"DROP TABLE IF EXISTS `{name}`")
            asking.rows(f"CREATE TABLE `{name}` USING parquet LOCATION '{path}'")


def rows_of(path: Path) -> int:
    """The rows of a Parquet file, from its end."""
    return int(pq.ParquetFile(path).metadata.num_rows)
