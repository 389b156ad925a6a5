"""Note which outside accounts a device says that it synchronises with."""

from core.content.link import DeviceLink, TellsAccounts
from server.fleet.convert import told_account
from server.fleet.models import Device


def note_accounts(device: Device, link: DeviceLink) -> None:
    """Into the row and the object; links that cannot tell change nothing. Raises LinkError; what was known stays then."""
    if not isinstance(link, TellsAccounts):
        return
    device.accounts = [told_account(one) for one in link.accounts()]
    device.save(update_fields=["accounts"])
