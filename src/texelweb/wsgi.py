"""The WSGI application that gunicorn serves."""

import gc
import os

from django.conf import settings
from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "texelweb.settings")
# A request that waits for a row that somebody else is changing is told so in the end; jobs have all the time that they need.
settings.DATABASES["default"]["OPTIONS"] = {"options": f"-c lock_timeout={settings.LOCK_SECONDS}s"}
application = get_wsgi_application()
# Judged sets of thousands are kept at hand and hold no cycles: looking through all of them again and again took a quarter of a
# page's time. What is there now stays for good, and the rest is looked through less often.
gc.collect()
gc.freeze()
gc.set_threshold(20_000, 20, 100)
