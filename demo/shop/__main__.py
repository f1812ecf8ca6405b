"""``python -m demo.shop PORT``: the old shop as a process."""

import os
import sys

import uvicorn

from demo.shop.app import ShopSettings, create_app
from demo.site.behaviour import HangsUp

uvicorn.run(
    create_app(ShopSettings(database_url=os.environ["SHOP_DATABASE_URL"], key=os.environ["SHOP_KEY"])),
    host="127.0.0.1",
    port=int(sys.argv[1]),
    http=HangsUp,
    log_level="critical",
    access_log=False,
)
