"""Figures for Prometheus, in its text format. Counts and times only: no name of a device or of a person leaves here."""

from collections.abc import Iterable
from datetime import datetime

from django.db.models import Count
from prometheus_client import CollectorRegistry, generate_latest
from prometheus_client.core import GaugeMetricFamily, Metric

from core.schedule.promise import KEPT, OWED, Standing
from server.oversight.models import Anomaly, Incident
from server.oversight.standing import standings
from server.runs.models import ACTIVE, Heartbeat, Run
from server.storage.models import Store
from server.storage.runways import runways
from server.telling.models import Message, MessageState


class _Office:
    """What is true at one moment."""

    def __init__(self, now: datetime) -> None:
        self._now = now

    def collect(self) -> Iterable[Metric]:
        """Called for each scrape. A handful of queries."""
        rows = standings(now=self._now)
        by_standing = GaugeMetricFamily("attic_devices", "Devices by their standing against the promise.", labels=["standing"])
        for standing in Standing:
            by_standing.add_metric([str(standing)], sum(row.state.standing == standing for row in rows))
        yield by_standing
        owed = [row for row in rows if row.state.standing in OWED]
        yield GaugeMetricFamily("attic_devices_promised", "Devices that are promised something now.", value=len(owed))
        yield GaugeMetricFamily(
            "attic_devices_inside_promise", "Of those, devices inside their promise.", value=sum(row.state.standing in KEPT for row in owed)
        )
        ages = [(self._now - row.device.newest_at).total_seconds() for row in owed if row.device.newest_at]
        yield GaugeMetricFamily(
            "attic_oldest_newest_backup_age_seconds", "Age of the oldest newest backup that is owed.", value=max(ages, default=0.0)
        )
        active = dict(Run.objects.filter(state__in=ACTIVE).order_by().values_list("state").annotate(Count("id")))
        runs = GaugeMetricFamily("attic_runs_active", "Runs that wait or are under way.", labels=["state"])
        for state in ACTIVE:
            runs.add_metric([str(state)], active.get(state, 0))
        yield runs
        yield GaugeMetricFamily(
            "attic_matters_open", "Causes that need a person.", value=Incident.objects.filter(closed_at__isnull=True).count()
        )
        yield GaugeMetricFamily(
            "attic_oddities_open", "Backups that look wrong.", value=Anomaly.objects.filter(settled_at__isnull=True).count()
        )
        waiting = Message.objects.filter(state=MessageState.WAITING, not_before__lte=self._now).count()
        yield GaugeMetricFamily("attic_messages_waiting", "Messages that should have gone.", value=waiting)
        yield from self._stores()
        beats = GaugeMetricFamily(
            "attic_last_sign_timestamp_seconds", "When a part that works by itself last gave a sign.", labels=["part"]
        )
        for name, at in Heartbeat.objects.values_list("name", "at"):
            beats.add_metric([name], at.timestamp())
        yield beats

    def _stores(self) -> Iterable[Metric]:
        stored = GaugeMetricFamily("attic_store_stored_bytes", "Bytes in a store.", labels=["store"])
        allowed = GaugeMetricFamily("attic_store_allowance_bytes", "Allowance of a store that has one.", labels=["store"])
        lasts = GaugeMetricFamily("attic_store_full_in_days", "Days until a store is full, where that can be told.", labels=["store"])
        least = GaugeMetricFamily("attic_store_full_in_days_earliest", "The same at its fastest, nine times in ten.", labels=["store"])
        stores = list(Store.objects.all())
        outlooks = runways(stores, now=self._now)
        for store in stores:
            for family, days in ((lasts, outlooks[store.id].days), (least, outlooks[store.id].earliest)):
                if days is not None:
                    family.add_metric([str(store.id)], days)
            stored.add_metric([str(store.id)], store.stored_bytes)
            if store.allowance_bytes is not None:
                allowed.add_metric([str(store.id)], store.allowance_bytes)
        yield stored
        yield allowed
        yield lasts
        yield least


def metrics_text(*, now: datetime) -> bytes:
    """The whole page. A fixed number of queries."""
    registry = CollectorRegistry(auto_describe=False)
    registry.register(_Office(now))
    return generate_latest(registry)
