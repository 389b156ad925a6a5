"""Addresses that a name may lead to: which lie inside of a network, and which belong to no server at all."""

import ipaddress

Ip = ipaddress.IPv4Address | ipaddress.IPv6Address


def ip_of(text: str) -> Ip:
    """Without its zone; an IPv4 address in IPv6 clothes as what it is."""
    address = ipaddress.ip_address(text.partition("%")[0])
    return address.ipv4_mapped or address if isinstance(address, ipaddress.IPv6Address) else address


def is_no_server(ip: Ip) -> bool:
    """Link-local ones are no servers of an office, and in rented machines they are where credentials lie."""
    return ip.is_multicast or ip.is_unspecified or ip.is_link_local or ip.is_reserved


def is_inside(ip: Ip) -> bool:
    """This computer, or a network that the world does not see."""
    return not ip.is_global
