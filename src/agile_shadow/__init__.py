"""Agile Shadow: proxies for video editors."""

import os

__version__ = "0.1.0"
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")  # it looks through all that is installed for some
