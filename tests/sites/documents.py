"""An OpenAPI document of a made-up site with manners of its own, for what is understood of such."""

from __future__ import annotations

from typing import Any

Json = dict[str, Any]


def of(**properties: Any) -> Json:
    """The schema of an object."""
    return {"type": "object", "properties": properties}


def shown(schema: Json | None = None, status: str = "200", **more: Any) -> Json:
    """An operation that answers with this."""
    content = {"content": {"application/json": {"schema": schema}}} if schema else {}
    return {"responses": {status: {"description": "", **content, **more}}}


def takes(operation: Json, schema: Json, *medias: str) -> Json:
    """An operation that takes such a body."""
    content = {media: {"schema": schema} for media in medias or ("application/json",)}
    return {**operation, "requestBody": {"content": content}}


def asks(operation: Json, *names: str, **schemas: Json) -> Json:
    """An operation with query parameters."""
    plain = [{"in": "query", "name": name, "schema": {"type": "string"}} for name in names]
    typed = [{"in": "query", "name": name, "required": True, "schema": schema} for name, schema in schemas.items()]
    return {**operation, "parameters": [*plain, *typed]}


TEXT, NUMBER = {"type": "string"}, {"type": "integer"}
GROWER = of(id=NUMBER, name=TEXT, parent_id=NUMBER)
PACKET = of(packet_no=TEXT, title=TEXT, grower_id=NUMBER, tag_ids={"type": "array", "items": NUMBER})
REFERRED = {"$ref": "#/components/schemas/Grower"}
NEXT = of(next=TEXT, total=NUMBER)


def listed(schema: Json) -> Json:
    """A list of such."""
    return {"type": "array", "items": schema}


def manners() -> Json:
    """The document."""
    return {
        "openapi": "3.0.3",
        "info": {"title": "Quillmoss growers", "version": "1"},
        "security": [{"key": [], "name": []}, {"bearer": []}],
        "components": {
            "schemas": {"Grower": GROWER, "Packet": PACKET},
            "securitySchemes": {
                "key": {"type": "apiKey", "in": "query", "name": "api_key"},
                "name": {"type": "http", "scheme": "Basic"},
                "bearer": {"type": "http", "scheme": "bearer"},
                "flow": {"type": "oauth2", "flows": {"clientCredentials": {"tokenUrl": "/token", "scopes": {}}}},
            },
        },
        "paths": {
            "/growers": {
                "get": asks(shown(of(data=listed(REFERRED), meta=NEXT)), "page", "per_page"),
                "post": takes(shown(of(data=GROWER), "201"), of(data=GROWER)),
            },
            "/growers/{grower_id}": {
                "get": shown(of(data=GROWER)),
                "patch": takes(shown(of(data=GROWER)), of(data=GROWER)),
                "delete": shown(status="204"),
            },
            "/growers/bulk": {"post": takes(shown(status="202"), listed(GROWER))},
            "/growers/{grower_id}/invite": {"post": shown(status="204")},
            "/packets.json": {
                "get": asks(shown(of(rows=listed(of(packet=PACKET)), count=NUMBER)), "offset", "limit",
                            api={"type": "string", "enum": ["2"]}),
                "post": takes(shown(of(id=NUMBER), "201"), PACKET, "application/x-www-form-urlencoded"),
            },
            "/packets/{packet_no}.json": {"get": shown(of(packet=PACKET)), "post": takes(shown(), PACKET)},
            "/beds": {
                "get": asks(shown(listed(of(_id=TEXT, name=TEXT)), headers={"Link": {"schema": TEXT}}), "after_date"),
                "post": {**takes(shown(status="202"), of(name=TEXT)), "security": [{"flow": ["write"]}]},
                "put": takes(shown(), of(name=TEXT)),
            },
            "/beds/{bedId}": {"get": shown(of(_id=TEXT, name=TEXT))},
            "/growers/{grower_id}/notes/{note}": {"patch": takes(shown(of(slug=TEXT)), of(text=TEXT))},
            "/growers/{grower_id}/notes": {
                "get": asks(shown(of(page=of(notes=listed(of(slug=TEXT)), next_cursor=TEXT))), "cursor", "limit"),
                "post": takes(shown(status="201", headers={"Location": {"schema": TEXT}}), of(text=TEXT)),
            },
            "/beds/{bedId}/notes": {"get": shown(listed(of(id=NUMBER))), "post": takes(shown(), of(text=TEXT))},
            "/search": {"get": shown(listed(GROWER))},
        },
    }  # fmt: skip
