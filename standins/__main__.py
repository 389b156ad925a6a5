"""Play the fleet: `python -m standins --port PORT --data DIR [--day YYYY-MM-DD]`."""

import argparse
import signal
import sys
import threading
from datetime import date, datetime
from pathlib import Path

from standins.boathouse import Boathouse
from standins.cloud.office import OfficeCloud
from standins.control import ControlServer
from standins.device import SimulatedDevice
from standins.drives import Drives
from standins.fleet import FLEET, SFTP_DEVICE
from standins.life import Life
from standins.mailbox import Mailbox
from standins.sftp import SftpDevice


def main() -> int:
    parser = argparse.ArgumentParser(
        prog="standins", description="A small fleet of simulated phones and tablets, and a cloud, on loopback."
    )
    parser.add_argument("--port", type=int, required=True, help="port of the control page; 0 takes a free one")
    parser.add_argument("--data", type=Path, required=True, help="folder for the devices' content")
    parser.add_argument("--day", type=date.fromisoformat, help="let new devices begin on this day instead of today")
    parser.add_argument("--catch-up", action="store_true", help="let every device live until today, then go on day by day")
    parser.add_argument("--mail-port", type=int, help="port on which a mail server keeps what it is given")
    parser.add_argument("--drives", type=Path, help="folder in which removable drives are plugged in")
    options = parser.parse_args()
    devices = [SimulatedDevice(persona, Life(options.data, persona)) for persona in FLEET]
    logger = SftpDevice(SFTP_DEVICE, options.data)
    # the ports that were given come first: a device takes any that is free
    mailbox = Mailbox(options.data)
    if options.mail_port is not None:
        mailbox.listen(options.mail_port)
    control = ControlServer(options.port, devices, [logger], mailbox)
    cloud = control.cloud = OfficeCloud(options.data / "cloud")
    boathouse = control.boathouse = Boathouse(options.data / "boathouse")
    control.drives = Drives(options.drives) if options.drives is not None else None
    for device in devices:
        lived = device.life.fact("lived")
        device.life.live_until(options.day or (_today() if options.catch_up or lived is None else date.fromisoformat(lived)))
        device.listen(int(device.life.fact("port") or 0))
        device.life.set_fact("port", str(device.port))
        if device.knobs.away:
            device.hang_up()
    logger.live_until(options.day or _today())
    if not logger.knobs.away:
        logger.listen()
    print(f"stand-ins at http://127.0.0.1:{control.server_address[1]}", flush=True)
    done = threading.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: done.set())
    threading.Thread(target=control.serve_forever, daemon=True).start()
    while not done.wait(60):
        if options.catch_up:
            for device in devices:
                device.life.live_until(_today())
            logger.live_until(_today())
    for device in devices:
        device.leave()
    logger.leave()
    mailbox.close()
    cloud.close()
    boathouse.close()
    return 0


def _today() -> date:
    return datetime.now().astimezone().date()


if __name__ == "__main__":
    sys.exit(main())
