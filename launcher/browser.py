"""How Debian's Chromium is started by tests and benches, as root too; it calls nobody by itself."""

EXECUTABLE = "/usr/bin/chromium"
ARGUMENTS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-dev-shm-usage",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-default-apps",
    "--font-render-hinting=none",
]
