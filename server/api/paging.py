"""Pages: every list is cut on the server."""

from rest_framework import serializers
from rest_framework.pagination import PageNumberPagination


class Pages(PageNumberPagination):
    """Fifty rows a page, or as many as are asked for up to two hundred."""

    page_size = 50
    page_size_query_param = "page_size"
    max_page_size = 200


class PageQuery(serializers.Serializer):
    """What a view that pages by itself tells the schema of its address."""

    page = serializers.IntegerField(required=False)
    page_size = serializers.IntegerField(required=False)
