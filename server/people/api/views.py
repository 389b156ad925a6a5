"""Signing in and out, the first administrator, office, accounts, journal."""

from datetime import time
from typing import Any
from zoneinfo import available_timezones

from django.contrib.auth import login, logout, update_session_auth_hash
from django.utils.decorators import method_decorator
from django.views.decorators.csrf import csrf_protect, ensure_csrf_cookie
from drf_spectacular.utils import extend_schema, inline_serializer
from rest_framework import generics, serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server import ports
from server.api.address import address_of
from server.api.permissions import May, may
from server.api.read_before import ReadBefore
from server.live import publish
from server.people.actions.accounts import change_own_password, change_user, end_sessions, reset_password
from server.people.actions.change_names import change_holder, change_team, remove_holder, remove_team
from server.people.actions.office import add_user, change_office, set_line, set_up_office
from server.people.actions.sign_in import sign_in
from server.people.models import JournalEntry, Role
from server.people.queries import holder as holder_by_id
from server.people.queries import journal, names, needs_first_administrator, office, users
from server.people.queries import team as team_by_id
from server.people.queries import user as user_by_id
from server.people.signed_in import signed_in


class UserSerializer(serializers.Serializer):
    """What `add_user` answers."""

    id = serializers.IntegerField()
    username = serializers.CharField()
    shown_name = serializers.CharField()
    role = serializers.ChoiceField(choices=Role.choices)
    is_active = serializers.BooleanField()


class OfficeSerializer(ReadBefore):
    """What `set_line` answers."""

    name = serializers.CharField(max_length=120)
    zone = serializers.CharField(max_length=64)
    max_runs = serializers.IntegerField(required=False, allow_null=True, default=None)
    limit_bytes_per_second = serializers.IntegerField(required=False, allow_null=True, default=None, max_value=1 << 40)
    line_is_metered = serializers.BooleanField(read_only=True)
    asks_holders = serializers.BooleanField(required=False, default=False)
    asks_holders_at = serializers.TimeField(required=False, default=time(15, 0))
    undo_days = serializers.IntegerField(
        required=False, allow_null=True, default=None, help_text="So long can what leaves be kept after all."
    )
    unasked_share_percent = serializers.IntegerField(
        required=False, allow_null=True, default=None, help_text="A change that removes more of what it concerns needs a typed word."
    )


class OfficeLineSerializer(serializers.Serializer):
    """What `set_line` is sent."""

    metered = serializers.BooleanField()


class MeSerializer(serializers.Serializer):
    """What `me` answers."""

    user = UserSerializer(allow_null=True)
    office = OfficeSerializer(allow_null=True)
    needs_first_administrator = serializers.BooleanField()
    may = serializers.ListField(child=serializers.ChoiceField(choices=[one.value for one in May]))


class SignInSerializer(serializers.Serializer):
    """What `sign_in` is sent."""

    username = serializers.CharField(max_length=60)
    password = serializers.CharField(max_length=200, trim_whitespace=False)


class FirstAdministratorSerializer(serializers.Serializer):
    """What `first_administrator` is sent."""

    office_name = serializers.CharField(max_length=120)
    zone = serializers.CharField(max_length=64)
    username = serializers.CharField(max_length=60)
    full_name = serializers.CharField(max_length=120, allow_blank=True)
    password = serializers.CharField(max_length=200, trim_whitespace=False)


class NewUserSerializer(serializers.Serializer):
    """What `add_user` is sent."""

    username = serializers.CharField(max_length=60)
    full_name = serializers.CharField(max_length=120, allow_blank=True)
    password = serializers.CharField(max_length=200, trim_whitespace=False)
    role = serializers.CharField(max_length=20)


class JournalSerializer(serializers.ModelSerializer):
    """A journal, as the API tells it."""

    who_name = serializers.SerializerMethodField()
    says = serializers.CharField(read_only=True)

    class Meta:
        model = JournalEntry
        fields = ("id", "at", "who_name", "what", "says", "device", "store")
        read_only_fields = fields

    def get_who_name(self, entry: JournalEntry) -> str:
        return entry.who.shown_name if entry.who else "Old Attic"


def _me(request: Request) -> dict[str, Any]:
    user = request.user if request.user.is_authenticated else None
    session = {"user": user, "office": office(), "needs_first_administrator": needs_first_administrator(), "may": may(user)}
    return MeSerializer(session).data


@method_decorator(ensure_csrf_cookie, name="dispatch")
class MeView(APIView):
    """Who is signed in, and whether anybody can."""

    public = True

    @extend_schema(operation_id="me", responses=MeSerializer)
    def get(self, request: Request) -> Response:
        return Response(_me(request))


@method_decorator(csrf_protect, name="dispatch")
class SignInView(APIView):
    """Answers `sign_in`."""

    own_transactions = True
    public = True

    @extend_schema(operation_id="sign_in", request=SignInSerializer, responses=MeSerializer)
    def post(self, request: Request) -> Response:
        body = SignInSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        user = sign_in(request._request, **body.validated_data, address=address_of(request._request), now=ports.clock().now())
        login(request._request, user, backend="django.contrib.auth.backends.ModelBackend")
        request.user = user
        return Response(_me(request))


class SignOutView(APIView):
    """Answers `sign_out`."""

    writes = May.READ

    @extend_schema(operation_id="sign_out", request=None, responses={204: None})
    def post(self, request: Request) -> Response:
        logout(request._request)
        publish("session", "")
        return Response(status=204)


@method_decorator(csrf_protect, name="dispatch")
class FirstAdministratorView(APIView):
    """Open until somebody has used it."""

    public = True

    @extend_schema(operation_id="first_administrator", request=FirstAdministratorSerializer, responses=MeSerializer)
    def post(self, request: Request) -> Response:
        body = FirstAdministratorSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        user = set_up_office(**body.validated_data, now=ports.clock().now())
        login(request._request, user, backend="django.contrib.auth.backends.ModelBackend")
        request.user = user
        return Response(_me(request))


class LineView(APIView):
    """For a person, or for a script of whoever knows which line is up."""

    writes = May.KEEP

    @extend_schema(operation_id="set_line", request=OfficeLineSerializer, responses=OfficeSerializer)
    def post(self, request: Request) -> Response:
        body = OfficeLineSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        return Response(OfficeSerializer(set_line(**body.validated_data, by=signed_in(request), now=ports.clock().now())).data)


class OfficeView(APIView):
    """Answers `change_office`."""

    @extend_schema(operation_id="change_office", request=OfficeSerializer, responses=OfficeSerializer)
    def put(self, request: Request) -> Response:
        body = OfficeSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        body.heed("office", lambda: OfficeSerializer(office()).data)
        return Response(OfficeSerializer(change_office(**body.validated_data, by=signed_in(request), now=ports.clock().now())).data)


class ZonesView(APIView):
    """Answers `zones`."""

    public = True

    @extend_schema(operation_id="zones", responses=serializers.ListSerializer(child=serializers.CharField()))
    def get(self, request: Request) -> Response:
        return Response(sorted(name for name in available_timezones() if "/" in name and not name.startswith(("Etc/", "posix/", "right/"))))


class UsersView(generics.ListAPIView):
    """Answers `users`, `add_user`."""

    serializer_class = UserSerializer

    def get_queryset(self) -> Any:
        """The rows of the list, by what is asked for."""
        return users()

    @extend_schema(operation_id="users")
    def get(self, request: Request, *args: Any, **more: Any) -> Response:
        return super().get(request, *args, **more)

    @extend_schema(operation_id="add_user", request=NewUserSerializer, responses={201: UserSerializer})
    def post(self, request: Request) -> Response:
        body = NewUserSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        user = add_user(**body.validated_data, by=signed_in(request), now=ports.clock().now())
        return Response(UserSerializer(user).data, status=201)


class ChangeUserSerializer(ReadBefore):
    """What `change_user` is sent."""

    full_name = serializers.CharField(max_length=120, allow_blank=True)
    role = serializers.CharField(max_length=20)
    active = serializers.BooleanField()


class ResetPasswordSerializer(serializers.Serializer):
    """What `reset_password` is sent."""

    password = serializers.CharField(max_length=200, trim_whitespace=False)


class OwnPasswordSerializer(serializers.Serializer):
    """What `change_own_password` is sent."""

    current = serializers.CharField(max_length=200, trim_whitespace=False)
    new = serializers.CharField(max_length=200, trim_whitespace=False)
    again = serializers.CharField(max_length=200, trim_whitespace=False)


class UserView(APIView):
    """Answers `change_user`."""

    @extend_schema(operation_id="change_user", request=ChangeUserSerializer, responses=UserSerializer)
    def put(self, request: Request, id: int) -> Response:
        body = ChangeUserSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        body.heed(f"user {id}", lambda: UserSerializer(user_by_id(id)).data)
        return Response(
            UserSerializer(change_user(user_by_id(id), **body.validated_data, by=signed_in(request), now=ports.clock().now())).data
        )


class ResetPasswordView(APIView):
    """Answers `reset_password`."""

    @extend_schema(operation_id="reset_password", request=ResetPasswordSerializer, responses={204: None})
    def post(self, request: Request, id: int) -> Response:
        body = ResetPasswordSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        reset_password(user_by_id(id), **body.validated_data, by=signed_in(request), now=ports.clock().now())
        return Response(status=204)


class SessionsView(APIView):
    """Answers `end_sessions`."""

    @extend_schema(operation_id="end_sessions", responses={204: None})
    def delete(self, request: Request, id: int) -> Response:
        end_sessions(user_by_id(id), by=signed_in(request), now=ports.clock().now())
        return Response(status=204)


class OwnPasswordView(APIView):
    """Everybody decides this for themselves."""

    writes = May.READ

    @extend_schema(operation_id="change_own_password", request=OwnPasswordSerializer, responses={204: None})
    def put(self, request: Request) -> Response:
        body = OwnPasswordSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        update_session_auth_hash(request._request, change_own_password(signed_in(request), **body.validated_data, now=ports.clock().now()))
        return Response(status=204)


class NamesView(APIView):
    """Names of teams and holders, for fields that suggest them."""

    @extend_schema(
        operation_id="names",
        responses=inline_serializer(
            "Names",
            {
                "teams": serializers.ListField(child=serializers.CharField()),
                "holders": serializers.ListField(child=serializers.CharField()),
            },
        ),
    )
    def get(self, request: Request) -> Response:
        return Response(names())


class NameSerializer(ReadBefore):
    """What `change_team` is sent."""

    name = serializers.CharField(max_length=120, allow_blank=True)


class HolderNameSerializer(NameSerializer):
    """What `change_holder` is sent."""

    team = serializers.CharField(max_length=80, allow_blank=True)
    email = serializers.CharField(max_length=254, allow_blank=True, default="")


class TeamNameView(APIView):
    """Answers `change_team`, `remove_team`."""

    @extend_schema(operation_id="change_team", request=NameSerializer, responses={204: None})
    def put(self, request: Request, id: int) -> Response:
        body = NameSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        body.heed(f"team {id}", lambda: {"name": team_by_id(id).name})
        change_team(team_by_id(id), **body.validated_data, by=signed_in(request))
        return Response(status=204)

    @extend_schema(operation_id="remove_team", responses={204: None})
    def delete(self, request: Request, id: int) -> Response:
        remove_team(team_by_id(id), by=signed_in(request))
        return Response(status=204)


def _holder(id: int) -> dict[str, str]:
    row = holder_by_id(id)
    return {"name": row.name, "team": row.team.name if row.team else "", "email": row.email}


class HolderNameView(APIView):
    """Answers `change_holder`, `remove_holder`."""

    @extend_schema(operation_id="change_holder", request=HolderNameSerializer, responses={204: None})
    def put(self, request: Request, id: int) -> Response:
        body = HolderNameSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        body.heed(f"holder {id}", lambda: _holder(id))
        change_holder(holder_by_id(id), **body.validated_data, by=signed_in(request))
        return Response(status=204)

    @extend_schema(operation_id="remove_holder", responses={204: None})
    def delete(self, request: Request, id: int) -> Response:
        remove_holder(holder_by_id(id), by=signed_in(request))
        return Response(status=204)


class JournalView(generics.ListAPIView):
    """Answers `journal`."""

    serializer_class = JournalSerializer

    def get_queryset(self) -> Any:
        """The rows of the list, by what is asked for."""
        device = self.request.query_params.get("device")
        return journal(device=serializers.UUIDField().to_internal_value(device) if device else None)

    @extend_schema(operation_id="journal")
    def get(self, request: Request, *args: Any, **more: Any) -> Response:
        return super().get(request, *args, **more)
