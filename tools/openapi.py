"""Prints the server's OpenAPI document: what the front end's types are generated from."""

import json

from nexorem.server.app import create_app

app = create_app("postgresql+psycopg://nobody@127.0.0.1:1/none")
print(json.dumps(app.test_client().get("/api/openapi.json").json, indent=1, sort_keys=True))
