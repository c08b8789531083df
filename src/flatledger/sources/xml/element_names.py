"""How the elements and attributes of a document are called: by their prefix, as in the document."""

from __future__ import annotations

from collections.abc import Iterable

from ...bounds import MOST_SOURCE_COLUMNS
from ...errors import SourceError

XML = "http://www.w3.org/XML/1998/namespace"


class ElementNames:
    """The names of elements and attributes (Namespaces in XML 1.0), by how a parser gives them:
    `{namespace}name`.

    A prefix is the one that is ``stated`` for a namespace, or else the first that the document
    has for it. Elements of a default namespace need none.
    """

    def __init__(self, source: str, stated: Iterable[tuple[str, str]]) -> None:
        self._source = source
        self.prefixes = {namespace: prefix for prefix, namespace in stated}
        self._of_attributes = {XML: "xml"} | self.prefixes
        self._known = {"": ""} | self.prefixes
        self._meant: dict[str, str] = {}
        self._elements: dict[str, str] = {}

    def declare(self, prefix: str | None, namespace: str) -> None:
        """Take in a declaration of the document."""
        self._known.setdefault(namespace, prefix or "")
        if prefix:
            self._of_attributes.setdefault(namespace, prefix)

    def element(self, tag: str) -> str:
        """The name of an element. Raises SourceError where it is that of another one too.

        >>> names = ElementNames("data.xml", [("s", "urn:stores")])
        >>> names.element("{urn:stores}item"), names.element("item")
        ('s:item', 'item')
        """
        name = self._elements.get(tag)
        if name is None:
            name = self._elements[tag] = self._called(tag, self._known, "")
        return name

    def declared(self) -> dict[str, str]:
        """The prefixes that are in use, each with its namespace."""
        return {prefix: namespace for namespace, prefix in self.prefixes.items()}

    def attribute(self, name: str) -> str:
        """The name of an attribute, which a default namespace does not reach.

        >>> ElementNames("data.xml", []).attribute("no")
        '@no'
        """
        return self._called(name, self._of_attributes, "@")

    def _called(self, tag: str, prefixes: dict[str, str], mark: str) -> str:
        namespace, _, local = tag.rpartition("}")
        namespace = namespace[1:]
        prefix = prefixes.get(namespace, "")
        name = f"{mark}{prefix}:{local}" if prefix else f"{mark}{local}"
        other = self._meant.setdefault(name, namespace)
        if len(self._meant) > MOST_SOURCE_COLUMNS:
            raise SourceError(
                f"{self._source} has more than {MOST_SOURCE_COLUMNS:,} different names of elements "
                "and attributes, which would be as many columns"
            )
        if other != namespace:
            spaces = " and ".join(f"{one}" if one else "none" for one in (other, namespace))
            raise SourceError(
                f"{self._source}: `{name}` stands in two namespaces ({spaces}); give each a prefix "
                "of its own under `source`: `namespaces: {a: …, b: …}`"
            )
        if prefix and namespace != XML:
            self.prefixes.setdefault(namespace, prefix)
        return name
