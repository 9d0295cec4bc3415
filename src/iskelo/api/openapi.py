"""The API's contract as JSON, from which the screens' types are generated."""

import json

from iskelo.api.app import create_app
from iskelo.api.settings import Settings


def contract() -> str:
    """The OpenAPI document; no database is asked for it."""
    app = create_app(Settings("postgresql://unused@127.0.0.1:1/unused"))
    return json.dumps(app.openapi(), indent=2, sort_keys=True)


if __name__ == "__main__":
    print(contract())
