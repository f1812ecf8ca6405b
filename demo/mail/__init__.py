"""A mail catcher: takes every mail by SMTP, sends none on, and shows them on a page."""

from demo.mail.catcher import MailCatcher

__all__ = ["MailCatcher"]
