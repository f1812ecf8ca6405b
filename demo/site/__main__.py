"""``python -m demo.site PORT``: the new site as a process."""

import os
import sys

import uvicorn

from demo.site.app import SiteSettings, create_app
from demo.site.behaviour import HangsUp

settings = SiteSettings(
    database_url=os.environ["SITE_DATABASE_URL"],
    token=os.environ["SITE_TOKEN"],
    smtp_port=int(os.environ["SITE_SMTP_PORT"]),
)
uvicorn.run(
    create_app(settings),
    host="127.0.0.1",
    port=int(sys.argv[1]),
    http=HangsUp,
    log_level="critical",
    access_log=False,
)
