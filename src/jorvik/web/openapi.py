"""Print the API's schema, from which the screen's types are generated."""

import json

from sqlalchemy import create_engine

from jorvik.web.app import Settings, create_app

if __name__ == "__main__":
    print(json.dumps(create_app(Settings(create_engine("postgresql+psycopg://"))).openapi(), indent=1))
