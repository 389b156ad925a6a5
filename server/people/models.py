"""People of the office: accounts, teams, holders, the office itself, and the journal of what they did."""

from datetime import time

from django.contrib.auth.models import AbstractUser
from django.db import models
from django.utils.crypto import salted_hmac

from server.people.lines import LINES, read


class Role(models.TextChoices):
    """What an account may do."""

    ADMINISTRATOR = "administrator"
    OPERATOR = "operator"
    AUDITOR = "auditor"


class User(AbstractUser):
    """Somebody who signs in."""

    role = models.CharField(max_length=20, choices=Role, default=Role.OPERATOR)
    full_name = models.CharField(max_length=120, blank=True)
    wants_digest = models.BooleanField(default=False, help_text="A mail every morning with the state of the office.")
    digest_at = models.TimeField(default=time(7, 0), help_text="In the office's zone.")
    wants_alerts = models.BooleanField(default=False, help_text="A mail as soon as something needs a person.")
    quiet_from = models.TimeField(null=True, help_text="Alerts wait from then on, in the office's zone; empty for never.")
    quiet_until = models.TimeField(null=True)

    sessions_from = models.PositiveIntegerField(default=0, help_text="Counts up to end all sessions that were begun before.")

    def _get_session_auth_hash(self, secret: str | None = None) -> str:
        """A session ends with the password it was begun with, and when somebody ends them all."""
        salt = "server.people.models.User.session"
        return salted_hmac(salt, f"{self.password} {self.sessions_from}", secret=secret, algorithm="sha256").hexdigest()

    @property
    def shown_name(self) -> str:
        """The full name, or what they sign in with."""
        return self.full_name or self.username


class SignInTries(models.Model):
    """Wrong sign-ins in a row, of one account or from one address."""

    what = models.CharField(max_length=300, primary_key=True, help_text="account NAME, or address IP")
    wrong = models.PositiveIntegerField(default=0)
    last_at = models.DateTimeField()


class KnownAddress(models.Model):
    """Where an account has been signed in from. Strangers who guess elsewhere do not slow it down here."""

    user = models.ForeignKey(User, on_delete=models.CASCADE, related_name="addresses")
    address = models.CharField(max_length=64)
    at = models.DateTimeField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["user", "address"], name="address_once")]


class ServerKey(models.Model):
    """Which key is the one of this server. One row; made at the first start, and never again."""

    id = models.PositiveSmallIntegerField(primary_key=True, default=1)
    fingerprint = models.CharField(max_length=32)
    at = models.DateTimeField()


class Office(models.Model):
    """The one office that this installation serves."""

    name = models.CharField(max_length=120)
    zone = models.CharField(max_length=64, help_text="IANA name; all dates are computed in it.")
    max_runs = models.PositiveSmallIntegerField(default=4, help_text="Runs that read from devices at the same time.")
    limit_bytes_per_second = models.BigIntegerField(null=True, help_text="For all devices together; empty without a limit.")
    line_is_metered = models.BooleanField(default=False, help_text="Whether the office is on a line that is paid by the byte now.")
    undo_days = models.PositiveSmallIntegerField(default=7, help_text="So long can what leaves be kept after all.")
    unasked_share_percent = models.PositiveSmallIntegerField(
        default=20, help_text="A change that removes more of what it concerns needs a typed word."
    )
    ages = models.JSONField(default=dict, help_text="{sort of record: days}: those that are not kept for the usual time.")
    asks_holders = models.BooleanField(default=False, help_text="Whether holders get a mail where only they can help.")
    asks_holders_at = models.TimeField(default=time(15, 0), help_text="In the office's zone; before people leave.")

    class Meta:
        constraints = [models.CheckConstraint(condition=models.Q(id=1), name="one_office")]


class ClosedDay(models.Model):
    """A day on which the office is closed."""

    day = models.DateField(primary_key=True)
    name = models.CharField(max_length=120, blank=True)

    class Meta:
        ordering = ["day"]


class Team(models.Model):
    """Holders who belong together."""

    name = models.CharField(max_length=80, unique=True)

    class Meta:
        ordering = ["name"]


class Holder(models.Model):
    """Somebody, or a place, that carries devices. Need not sign in."""

    name = models.CharField(max_length=120, unique=True)
    team = models.ForeignKey(Team, null=True, on_delete=models.SET_NULL, related_name="holders")
    email = models.EmailField(blank=True, help_text="Where a message reaches this person when only they can help.")

    class Meta:
        ordering = ["name"]


class JournalEntry(models.Model):
    """One deed. Append-only: nothing changes it, and only its age removes it."""

    at = models.DateTimeField(db_index=True)
    who = models.ForeignKey(User, null=True, on_delete=models.PROTECT, help_text="Empty: Old Attic itself.")
    what = models.CharField(max_length=60, help_text="Stable code, such as device.paired.")
    facts = models.JSONField(default=dict, help_text="What its sentence tells, by name; `way` where the code says several things.")
    written_out = models.TextField(blank=True, help_text="The sentence itself, of lines from before facts were kept.")
    device = models.UUIDField(null=True, db_index=True)
    store = models.UUIDField(null=True)

    class Meta:
        ordering = ["-at", "-id"]

    @property
    def says(self) -> str:
        """The sentence, as it is told today."""
        return self.written_out or read(LINES, self.what, self.facts)


class ClockState(models.Model):
    """What is believed of this computer's clock. One row."""

    id = models.PositiveSmallIntegerField(primary_key=True, default=1)
    sure_at = models.DateTimeField(null=True, help_text="The last instant that was sure.")
    boot = models.CharField(max_length=64, blank=True, help_text="The start of the machine from which `seconds` count.")
    seconds = models.FloatField(default=0.0, help_text="The machine's steady counter at that instant.")
    doubt_since = models.DateTimeField(null=True, help_text="By the clock itself; empty while it is believed.")
    doubt_boot = models.CharField(max_length=64, blank=True)
    doubt_seconds = models.FloatField(default=0.0, help_text="The counter when the doubt began: witnesses from before do not count.")
    jump_seconds = models.FloatField(default=0.0)
    off_seconds = models.FloatField(null=True, help_text="How far ahead of it agreeing witnesses are; empty when none agree.")
    doubted_from = models.DateTimeField(null=True, help_text="When the last doubt that is over began, by the clock of then.")
    settled_at = models.DateTimeField(null=True)
    settled_right = models.BooleanField(default=False, help_text="Whether the clock was found right, rather than set back to what it was.")
    settled_why = models.CharField(max_length=300, blank=True)
    looked_at = models.DateTimeField(null=True)


class ClockWitness(models.Model):
    """What somebody outside said last of the time."""

    name = models.CharField(max_length=200, primary_key=True)
    kind = models.CharField(max_length=10, help_text="device, kernel, mail or bucket")
    off_seconds = models.FloatField(help_text="Its clock minus ours.")
    boot = models.CharField(max_length=64)
    seconds = models.FloatField(help_text="The machine's steady counter when it spoke.")
    at = models.DateTimeField()
