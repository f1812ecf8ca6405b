"""``python -m demo.mail OUTBOX_PORT SMTP_PORT``: the mail catcher as a process."""

import sys

import uvicorn

from demo.mail.catcher import MailCatcher

catcher = MailCatcher(int(sys.argv[2]))
catcher.start()
uvicorn.run(catcher.app, host="127.0.0.1", port=int(sys.argv[1]), log_level="warning", access_log=False)
catcher.stop()
