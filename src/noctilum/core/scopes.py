"""Scopes: which hosts and paths a property counts, and whether two of them count the same visits."""

from __future__ import annotations

from enum import StrEnum


class Relation(StrEnum):
    """Say how one scope lies to another."""

    SAME = "same"
    CONTAINS = "contains"
    WITHIN = "within"
    APART = "apart"


def relation(one: str, other: str) -> Relation:
    """Compare two scopes: a host, a host with a path, or *.host for a host with all below it.

    >>> relation("skerryferries.example", "skerryferries.example/de")
    <Relation.CONTAINS: 'contains'>
    >>> relation("www.skerryferries.example", "*.skerryferries.example")
    <Relation.WITHIN: 'within'>
    >>> relation("skerryferries.example/de", "skerryferries.example/dev")
    <Relation.APART: 'apart'>
    """
    if _plain(one) == _plain(other):
        return Relation.SAME
    if _covers(one, other):
        return Relation.CONTAINS
    return Relation.WITHIN if _covers(other, one) else Relation.APART


def _plain(scope: str) -> str:
    return scope.strip().lower().rstrip("/")


def _covers(wide: str, narrow: str) -> bool:
    wide_host, _, wide_path = _plain(wide).partition("/")
    narrow_host, _, narrow_path = _plain(narrow).partition("/")
    bare = wide_host.removeprefix("*.")
    below = wide_host != bare and narrow_host.removeprefix("*.").endswith(f".{bare}")
    if not below and narrow_host != wide_host and narrow_host != bare:
        return False
    if wide_host == bare and narrow_host != bare:
        return False
    return not wide_path or (narrow_path + "/").startswith(wide_path + "/")
