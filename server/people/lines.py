"""What the journal says: a line is kept as a code and its facts, and becomes a sentence where it is read.

A code that says several things has a name for each behind a slash, its `way`. In a sentence `{name}` is a fact; a list is told with
commas. `{name:#copy|copies}` counts, `{name:~is|are}` chooses a word by a count, and `{name:?until %|for ever}` says the first where
the fact is there (with it in place of %) and the second where it is empty. `{name:;}` tells a list with semicolons.
"""

from collections.abc import Mapping
from string import Formatter
from typing import Any

_LAPSED = "{lapsed:? Its protection has lapsed: its rule counts by its newest good backup.}"

LINES: dict[str, str] = {
    "allowance.set/of": "{of} may hold {limit} in {store}.",
    "allowance.set/store": "{store} calls somebody at {limit}.",
    "allowance.taken_away": "{of} has no allowance of its own in {store} any more.",
    "backup.adopted": "A backup of {device} of {moment} was found in {store} and taken in.",
    "backup.back": "{count} of {device} stay in {store} after all: they are wanted again: {moments}." + _LAPSED,
    "backup.brought_in": "{name} was brought in as a backup of {device} of {moment}.",
    "backup.copied": "A backup of {device} was copied from {source} to {store}.",
    "backup.date_settled": "The backup of {device} is of {moment}.",
    "backup.dates_confirmed": "The dates of {count} backups that were made while the clock was in doubt are confirmed.",
    "backup.fell_out": "{count} of {device} leave {store} on {first} {rule:?by %|since nothing keeps them}: {moments}." + _LAPSED,
    "backup.given_up": "The missing backup of {device} in {store} was given up.",
    "backup.goes": "{count} of {device} go from {store}, {rule:?by %|since nothing keeps them}: {moments}." + _LAPSED,
    "backup.held": "The backup of {device} is on hold{until:? until %}: {reason}",
    "backup.hold_seen": "The holds of {name} are still needed: {why}",
    "backup.looked_at": "The backup of {device} of {moment}, which {damaged:?is damaged|was brought in}, was looked at: its"
    " rule decides again.",
    "backup.missing": "{store} does not list the backup of {device} of {moment} any more.",
    "backup.noted": "The note of a backup of {device} is “{note}” now, it was “{before}”.",
    "backup.released": "The hold on a backup of {device} was released.",
    "backup.removed_by_hand": "{count:#copy|copies} of {backups:#backup|backups} of {device} {count:~leaves|leave} on {on}: {why}",
    "clock.doubted": "The clock of this computer is in doubt. {moved}",
    "clock.settled": "The clock of this computer is believed again. {why}",
    "closed_days.added": "{count:#day|days} on which the office is closed, from {first} to {last}.",
    "closed_days.removed": "The office is open on {day}.",
    "content.fetched": "The archive {file} of the backup of {device}, {holder}, of {moment} was fetched.",
    "content.looked_into": "{kind} of the backup of {device}, {holder}, of {moment} were looked into.",
    "content.looked_into/weighed": "What fills {device}, {holder}, was looked at, item by item.",
    "content.saved": "Single items ({kind}) of the backup of {device}, {holder}, of {moment} were saved.",
    "content.searched": "{kind} of the backup of {device}, {holder}, of {moment} were searched in.",
    "copies.hurried": "{count:#copy|copies} owed to {store} {count:~is|are} tried at once.",
    "copy.withdrawn": "The copy of {device} to {store} was withdrawn.",
    "device.added/folder": "The folder {path} was added as {device}.",
    "device.added/sftp": "{device} was added: SFTP at {host}:{port}, its host key is pinned.",
    "device.back": "{device}: its last day away has passed.",
    "device.changed": "{device}: {changes:;}",
    "device.link_changed": "The link of {device} was changed.",
    "device.paired": "{device} of {holder} was paired.",
    "device.paired_again": "{device} was paired again.",
    "device.registered": "{device} was put into the register.",
    "device.registered/found": "{device} of {holder} was put into the register for its backups that were found.",
    "device.unpaired": "The key of {device} was withdrawn ({why}): nothing that comes from it is accepted until it is paired again.",
    "device.wipe_answered": "May {device} of {holder} be wiped ({words})? {says}",
    "devices.changed_many": "{says}",
    "devices.undone": "Taken back: {says}",
    "drill.asked": "A drill of {device} from {store} was asked for.",
    "drill.rules/none": "Drills: nobody has a turn by itself; {most_minutes} minutes and {size} at the most.",
    "drill.rules": "Drills: {a_day:#device has|devices have} a turn a day, for {most_minutes} minutes and {size} at the most.",
    "drill.stopped": "The drill of {device} was stopped.",
    "drill.wrong": "A drill of {device} from {store} did not get back {count:#item|items}; the whole store is being checked.",
    "drive.back": "{store} is back.",
    "drive.kept": "{store} is kept by {keeper:?%|nobody in particular} and rests in {rests_in:?%|no place that was named}.",
    "drive.moved": "{store} lies at {path} now, no longer at {where}.",
    "drive.out": "{store} {told:?was taken away|went without a word; it is looked through when it is back}.",
    "drive.parted": "{store} is safe to take away: everything lies on it, and nothing holds it.",
    "drive.parting": "{store} is to be taken away.",
    "drive.rotation": "Rotation {rotation}: {drives}; another turn {every_days:~every day|every % days} from {first}.",
    "drive.rotation/ended": "The rotation {rotation} was ended.",
    "drive.stays": "{store} stays and is used again.",
    "drive.twice": "{store} is there twice: at {where} and at {twins}. Nothing is written to either.",
    "erasure.asked": "{what} is erased from {begins_on} on.",
    "erasure.began": "{what}: erasing has begun.",
    "erasure.called_off": "{what} is not erased: {called_off_why}",
    "erasure.done": "{says}: gone from every store.",
    "erasure.taken_again": "{what}: runs may take it again. {why}",
    "export.erased": "The folder {path} with content of {device}, {holder}, {there:?was erased with everything in it|is"
    " not there any more}.",
    "export.erased/file": "The archive {file_name} was erased from the server.",
    "export.kept": "The folder {path} stays until {until}, in the keeping of {keeper}.",
    "export.stays": "The folder {path} could not be erased: {says}",
    "feed.closed": "The link to the dates of the plan {plan} does not work any more.",
    "feed.opened": "The dates of the plan {plan} can be subscribed to.",
    "holder.changed": "{name} belongs to {team:?%|no team}.",
    "holder.changed/name": "{before} is called {name} now.",
    "holder.removed": "The holder {holder} was removed.",
    "holder.written": "{holder} was written to about the own cloud backup of {device}.",
    "hook.added": "The hook {hook} is told what happens, at {address}.",
    "hook.changed": "The hook {hook} is {active:?on|off}.",
    "hook.removed": "The hook {hook} is told nothing any more.",
    "key.established": "The server's key lies at {where}.",
    "kinds.chosen": "{device} of {holder}{alike:? and all others that % synchronises}: {kinds} {taken:?taken into"
    " backups|left out of backups on purpose}.{why:? %}",
    "kinds.left_to_plan": "{device} of {holder}: its plan decides again about {kind}.",
    "matter.put_off": "“{says}”: put off until {until}: {why}",
    "oddity.settled": "{device}: “{says}” was looked at{why:?: %|.}",
    "office.ages": "Records are kept so long from now on: {changes:;}.",
    "office.changed": "The office is {office}, in the zone {zone}.",
    "office.line": "The office's line is {metered:?metered now; copies that mind wait|not metered any more}.",
    "office.set_up": "{office_name} was set up.",
    "omission.accepted": "Left out of backups of {device}{alike:? and all devices alike}, and accepted:"
    " {path}{reason:?everything of which is said that %}. {why}",
    "omission.taken_back": "What is left out of backups of {device} is not accepted any more: {path}.",
    "pause.begun": "{plan:?The plan % is}{device:?% is}{everything:?Everything is} paused {until:?until %|until further notice}: {reason}",
    "pause.ended": "{plan:?The plan % is}{device:?% is}{everything:?Everything is} paused no longer.",
    "pause.ended/its_day": "{plan:?The plan % is}{device:?% is}{everything:?Everything is} paused no longer: its day has come.",
    "plan.joined": "{name} of {holder} follows the plan of {team} from now on.",
    "plan.leaves_out": "{name} leaves out {words} from now on. {why}",
    "plan.removed": "The plan {plan} was removed.",
    "plan.saved": "The plan {plan} was {is_new:?made|changed}; {count:#device follows|devices follow} it.",
    "records.aged": "Records that were older than their time went: {sorts}.",
    "restore.asked": "Restore of {what} of {device}, {holder}, from {moment} {where}.",
    "restore.stopped": "The restore from {device} was stopped.",
    "retention.frozen": "Nothing leaves {what}: {reason}",
    "retention.lifted": "Things may leave {what} again: {ended_why}",
    "rule.exception": "The rule for {of} {number:?is version % now|ended}.{why:? %}",
    "run.stopped": "The run of {device} was stopped.",
    "store.accepted": "An older copy of {store} at {where} is used from now on; what it lacks is missing.",
    "store.added/attached": "The store {store} in {place} was attached.",
    "store.added/offices_key": "The store {store} was prepared in {place}, with the office's key.",
    "store.added/own_key": "The store {store} was prepared in {place}, with a key of its own.",
    "store.changed": "{name}, at {where}, has {limit}{off_site:?, and lies outside of the office}.",
    "store.checked": "{store}: {says}",
    "store.draining": "{store} is drained into {into}: {count} copies are owed, {there} lie there already.{plans:? Plans"
    " that go there from now on: %.}",
    "store.draining_stopped": "{name} is not drained any more. It is only read; plans go elsewhere until somebody changes them.",
    "store.found_given_back": "{count} backups of {device} that were taken in from {store} were given back; the store still holds them.",
    "store.found_taken": "{count} backups found in {store} were taken in as those of {owner} of {holder}, on hold.",
    "store.left_sooner": "{count:#copy|copies} of {devices:#device|devices} {count:~leaves|leave} {store} without the rest of"
    " their undo period: {why}",
    "store.mended": "{count:#backup is|backups are} whole again in {store}: {how}.",
    "store.mode/detached": "{store} is detached: it is not looked for, and its copies count for nothing.{why:? %}",
    "store.mode/in_use": "{store} is in use.{why:? %}",
    "store.mode/paused": "{store} is paused: nothing is written, checked or removed.{why:? %}",
    "store.mode/read_only": "{store} is only read from now on.{why:? %}",
    "store.office_taken": "{devices} devices, {plans} plans, {holders} holders and {closed_days} closed days of"
    " {office:?%|another server} were taken over from {store}.",
    "store.passphrase_proven": "The passphrase of {store} was typed and opens it.",
    "store.remembered_wrong": "What was remembered of {store} was not what {differing} of its lists say. It is made anew; its"
    " figures are right again.",
    "store.retired": "{name} was retired with {gone} copies; {lost_count} backups lie in no store any more. Nothing in it was touched.",
    "store.room_made": "Room is made in {store}: {size:?% }{by:?by %}{waits:?once it may leave}{both:?, and }{later:?% as"
    " old backups go}{until:?, until %}. {why}",
    "store.slots/added": "{store} can be opened with another {slot}: {label}.",
    "store.slots/changed": "The passphrase {label} of {store} was changed; the old one opens it no more.",
    "store.slots/removed": "The {slot} {label} opens {store} no more.",
    "store.sweep_asked": "{store} is swept, as somebody asked.",
    "store.sweeping_taken": "{name} is swept by this server from now on, and by {before} no more.",
    "store.tried": "The place {place} was tried.",
    "team.removed": "The team {team} was removed.",
    "team.renamed": "The team {before} is called {name} now.",
    "user.added": "{user} may sign in as {role}.",
    "user.changed": "{shown_name} {role:?may sign in as %|may not sign in any more}.",
    "user.password_changed": "{shown_name} has a new password.",
    "user.password_reset": "{shown_name} was given a new password.",
    "user.sessions_ended": "All sessions of {shown_name} were ended.",
}


class _Sentence(Formatter):
    """Fills a template in the small language of this module."""

    def format_field(self, value: Any, format_spec: str) -> str:
        sign, rest = format_spec[:1], format_spec[1:]
        first, _, second = rest.partition("|")
        if sign == "#":
            return f"{value} {first if value == 1 else second}"
        if sign == "~":
            return (first if value == 1 else second).replace("%", str(value))
        if sign == "?":
            return (first if value else second).replace("%", _told(value, ", "))
        return _told(value, "; " if sign == ";" else ", ")


def _told(value: Any, between: str) -> str:
    return between.join(map(str, value)) if isinstance(value, list | tuple) else str(value)


def filled(templates: Mapping[str, str], what: str, facts: Mapping[str, Any]) -> str:
    """The sentence of `told` for this code and its way. Raises KeyError for a code that there is not, and for a fact that is missing."""
    way = facts.get("way")
    return _Sentence().vformat(templates[f"{what}/{way}" if way else what], (), facts)


def sentence(what: str, facts: Mapping[str, Any]) -> str:
    """A line of the journal. Raises KeyError as `filled` does."""
    return filled(LINES, what, facts)


def read(templates: Mapping[str, str], what: str, facts: Mapping[str, Any]) -> str:
    """The same of a row that lies in the database. One that another program wrote, whose code or facts are not known here, is told
    by them: it takes no page with it."""
    try:
        return filled(templates, what, facts)
    except KeyError:
        return " ".join([f"{what}:", *(f"{name} {_told(value, ', ')};" for name, value in sorted(facts.items()))])
