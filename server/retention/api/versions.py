"""The versions of a rule, and two of them side by side."""

from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server import ports
from server.api.paging import PageQuery, Pages
from server.plans.models import RuleVersion
from server.retention.api.consequences import ConsequencesSerializer, told_consequences
from server.retention.api.exceptions import ExceptionSerializer
from server.retention.versions import side_by_side, versions_beside, versions_of_plan


class VersionSerializer(ExceptionSerializer):
    """A part of `VersionPageSerializer`."""

    ended = serializers.SerializerMethodField(help_text="Whether the exception ended with it.")

    def get_ended(self, row: RuleVersion) -> bool:
        return row.told is None

    class Meta(ExceptionSerializer.Meta):
        fields: tuple[str, ...] = (*ExceptionSerializer.Meta.fields, "ended")
        read_only_fields: tuple[str, ...] = fields


class VersionPageSerializer(serializers.Serializer):
    """What `plan_rule_versions` answers."""

    count = serializers.IntegerField()
    results = VersionSerializer(many=True)


class SideBySideQuery(serializers.Serializer):
    """What `compare_rule_versions` can be asked for."""

    other = serializers.IntegerField(min_value=1)


class SideBySideSerializer(serializers.Serializer):
    """What `compare_rule_versions` answers."""

    one = VersionSerializer()
    other = VersionSerializer()
    only_one = ConsequencesSerializer(help_text="What leaves when the other takes its place.")
    only_other = ConsequencesSerializer(help_text="What the other keeps, and this one would let go.")


def _paged(view: APIView, request: Request, rows: Any) -> Response:
    pages = Pages()
    page: Any = pages.paginate_queryset(rows, request, view=view)
    count = pages.page.paginator.count  # type: ignore[union-attr]
    return Response(VersionPageSerializer({"count": count, "results": page}).data)


class PlanVersionsView(APIView):
    """Answers `plan_rule_versions`."""

    @extend_schema(operation_id="plan_rule_versions", parameters=[PageQuery], responses=VersionPageSerializer)
    def get(self, request: Request, id: UUID) -> Response:
        return _paged(self, request, versions_of_plan(id))


class VersionsBesideView(APIView):
    """Answers `rule_versions_beside`."""

    @extend_schema(operation_id="rule_versions_beside", parameters=[PageQuery], responses=VersionPageSerializer)
    def get(self, request: Request, id: int) -> Response:
        return _paged(self, request, versions_beside(id))


class CompareVersionsView(APIView):
    """Answers `compare_rule_versions`."""

    @extend_schema(operation_id="compare_rule_versions", parameters=[SideBySideQuery], responses=SideBySideSerializer)
    def get(self, request: Request, id: int) -> Response:
        asked = SideBySideQuery(data=request.query_params)
        asked.is_valid(raise_exception=True)
        compared = side_by_side(id, asked.validated_data["other"], now=ports.clock().now())
        fields = {
            "one": compared.one, "other": compared.other, "only_one": told_consequences(compared.only_one),
            "only_other": told_consequences(compared.only_other),
        }  # fmt: skip
        return Response(SideBySideSerializer(fields).data)
