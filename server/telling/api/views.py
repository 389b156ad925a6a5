"""Who is told what: my own wishes, hooks, and the messages that went or did not."""

from typing import Any
from uuid import UUID

from drf_spectacular.utils import extend_schema
from rest_framework import generics, serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server.api.permissions import May
from server.api.read_before import ReadBefore
from server.fleet.queries import device as device_by_id
from server.people.actions.wishes import Wishes, change_wishes
from server.people.signed_in import signed_in
from server.telling.actions.hooks import add_hook, change_hook, remove_hook, try_hook
from server.telling.actions.write_to_holder import write_to_holder
from server.telling.models import Message, MessageState, Way
from server.telling.queries import hook as hook_by_id
from server.telling.queries import hooks, messages


class WishesSerializer(serializers.Serializer):
    """What I want to be told, and when."""

    email = serializers.EmailField(allow_blank=True)
    wants_digest = serializers.BooleanField()
    digest_at = serializers.TimeField()
    wants_alerts = serializers.BooleanField()
    quiet_from = serializers.TimeField(allow_null=True)
    quiet_until = serializers.TimeField(allow_null=True)


class HookSerializer(serializers.Serializer):
    """What `hooks` answers."""

    id = serializers.UUIDField(read_only=True)
    name = serializers.CharField(max_length=80, allow_blank=True)
    address = serializers.CharField(max_length=500)
    inside = serializers.BooleanField(default=False)
    signs_of_life = serializers.BooleanField(default=False)
    active = serializers.BooleanField(default=True)
    last_error = serializers.SerializerMethodField()

    def get_last_error(self, hook: Any) -> str:
        return getattr(hook, "last_error", "") or ""


class NewHookSerializer(HookSerializer):
    """What `add_hook` answers."""

    secret = serializers.CharField(help_text="Base64; shown this once.")


class ChangeHookSerializer(ReadBefore):
    """What `change_hook` is sent."""

    active = serializers.BooleanField()
    inside = serializers.BooleanField()
    signs_of_life = serializers.BooleanField()


class MessageSerializer(serializers.ModelSerializer):
    """What `write_to_holder` answers."""

    whom = serializers.SerializerMethodField()

    class Meta:
        model = Message
        fields = ("id", "way", "whom", "to", "subject", "body", "state", "attempts", "not_before", "made_at", "sent_at", "error")
        read_only_fields = fields

    def get_whom(self, row: Message) -> str:
        if row.user:
            return row.user.shown_name
        return row.holder.name if row.holder else row.hook.name if row.hook else ""


class MessageFilter(serializers.Serializer):
    """What `messages` can be asked for."""

    state = serializers.ChoiceField(choices=MessageState.choices, required=False)
    way = serializers.ChoiceField(choices=Way.choices, required=False)


class WishesView(APIView):
    """Answers `wishes`, `change_wishes`."""

    writes = May.READ

    @extend_schema(operation_id="wishes", responses=WishesSerializer)
    def get(self, request: Request) -> Response:
        return Response(WishesSerializer(signed_in(request)).data)

    @extend_schema(operation_id="change_wishes", request=WishesSerializer, responses=WishesSerializer)
    def put(self, request: Request) -> Response:
        body = WishesSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        return Response(WishesSerializer(change_wishes(signed_in(request), Wishes(**body.validated_data))).data)


class HooksView(APIView):
    """Answers `hooks`, `add_hook`."""

    reads = May.READ_MESSAGES

    @extend_schema(operation_id="hooks", responses=HookSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response(HookSerializer(hooks()[:100], many=True).data)

    @extend_schema(operation_id="add_hook", request=HookSerializer, responses={201: NewHookSerializer})
    def post(self, request: Request) -> Response:
        body = HookSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        fields = {name: body.validated_data[name] for name in ("name", "address", "inside", "signs_of_life")}
        hook, secret = add_hook(**fields, by=signed_in(request))
        hook.secret = secret
        return Response(NewHookSerializer(hook).data, status=201)


class HookView(APIView):
    """Answers `change_hook`, `remove_hook`."""

    @extend_schema(operation_id="change_hook", request=ChangeHookSerializer, responses=HookSerializer)
    def put(self, request: Request, id: UUID) -> Response:
        body = ChangeHookSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        body.heed(f"hook {id}", lambda: HookSerializer(hook_by_id(id)).data)
        return Response(HookSerializer(change_hook(hook_by_id(id), **body.validated_data, by=signed_in(request))).data)

    @extend_schema(operation_id="remove_hook", responses={204: None})
    def delete(self, request: Request, id: UUID) -> Response:
        remove_hook(hook_by_id(id), by=signed_in(request))
        return Response(status=204)


class TryHookView(APIView):
    """Answers `try_hook`."""

    own_transactions = True

    @extend_schema(operation_id="try_hook", request=None, responses={204: None})
    def post(self, request: Request, id: UUID) -> Response:
        try_hook(hook_by_id(id))
        return Response(status=204)


class LetterSerializer(serializers.Serializer):
    """What `write_to_holder` is sent."""

    subject = serializers.CharField(allow_blank=True)
    body = serializers.CharField(allow_blank=True)


class OwnCloudLetterView(APIView):
    """Write to the holder of a device about the account of its own cloud backup."""

    writes = May.SETTLE

    @extend_schema(operation_id="write_to_holder", request=LetterSerializer, responses={201: MessageSerializer})
    def post(self, request: Request, id: UUID) -> Response:
        body = LetterSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        message = write_to_holder(device_by_id(id), about="own cloud", **body.validated_data, by=signed_in(request))
        return Response(MessageSerializer(message).data, status=201)


class MessagesView(generics.ListAPIView):
    """Bodies name devices and people: for operators and administrators."""

    serializer_class = MessageSerializer
    reads = May.READ_MESSAGES
    writes = May.SET_UP

    def get_queryset(self) -> Any:
        """The rows of the list, by what is asked for."""
        query = MessageFilter(data=self.request.query_params)
        query.is_valid(raise_exception=True)
        return messages(**query.validated_data)

    @extend_schema(operation_id="messages", parameters=[MessageFilter])
    def get(self, request: Request, *args: Any, **more: Any) -> Response:
        return super().get(request, *args, **more)
