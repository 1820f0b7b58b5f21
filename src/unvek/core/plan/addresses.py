"""Addresses of what a team shares: of its database, and of the place for outputs."""

from urllib.parse import parse_qsl, quote, unquote, urlsplit

from unvek.core.errors import InputError

SCHEME = "postgresql://"
SECRET_KEYS = ("password", "passfile", "sslpassword")
OUTPUTS_WANTED = "a shared folder, file:///srv/unvek, or an object store, s3://bucket/prefix, without any password"


def is_address(text: str) -> bool:
    return text.startswith((SCHEME, "postgres://"))


def checked_address(text: str) -> str:
    """Return an address of a database; InputError where it is none."""
    try:
        parts = urlsplit(text)
        _ = parts.port
    except ValueError as error:
        raise InputError(f"{without_secrets(text)!r} is no address of a database: {error}") from error
    if not parts.path.strip("/") or "/" in parts.path.strip("/"):
        raise InputError(f"{without_secrets(text)!r} names no database; wanted one such as {SCHEME}server/nursery")
    return SCHEME + text.partition("://")[2]


def without_secrets(address: str) -> str:
    """Return an address without its password, which nothing that is shown or kept may hold."""
    scheme, _, rest = address.partition("://")
    server, is_query, query = rest.partition("?")
    who, at, where = server.rpartition("@")
    kept = [(name, value) for name, value in parse_qsl(query) if name.lower() not in SECRET_KEYS]
    ending = "&".join(f"{quote(name)}={quote(value, safe='/')}" for name, value in kept)
    return f"{scheme}://{who.partition(':')[0]}{at}{where}" + (f"?{ending}" if is_query and kept else "")


def is_same_database(one: str, other: str) -> bool:
    """Whether two addresses lead to one database, whoever asks."""

    def where(address: str) -> tuple[str, str, list[str]]:
        parts = urlsplit(address)
        query = [value for name, value in parse_qsl(parts.query) if name in ("host", "port", "options")]
        return parts.netloc.rpartition("@")[2], parts.path, query

    return where(one) == where(other)


def has_secrets(address: str) -> bool:
    who, at, _ = address.partition("://")[2].partition("?")[0].rpartition("@")
    given = {name.lower() for name, _ in parse_qsl(address.partition("?")[2])}
    return bool(at and unquote(who).partition(":")[2]) or not given.isdisjoint(SECRET_KEYS)


def wrong_store(url: str) -> str | None:
    """Return what is wrong with the address of a place for outputs; None where nothing is."""
    scheme, is_url, rest = url.partition("://")
    if not is_url or not scheme.isalnum() or not rest.strip("/"):
        return "no address of a place"
    if scheme == "file" and not rest.startswith("/"):
        return "a path that does not begin at the root"
    if "@" in rest.partition("/")[0] or "?" in rest:
        return "an address with more than a place in it"
    return None
