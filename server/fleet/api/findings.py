"""A finding about a device, as the API tells it."""

from rest_framework import serializers

from core.content.readiness import Level


class FindingSerializer(serializers.Serializer):
    """One thing that was found, and the step that resolves it."""

    code = serializers.CharField()
    level = serializers.ChoiceField(choices=[(level.value, level.value) for level in Level])
    says = serializers.CharField(allow_blank=True)
    step = serializers.CharField(allow_blank=True)
