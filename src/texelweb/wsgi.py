"""The WSGI application that gunicorn serves."""

import gc
import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "texelweb.settings")
application = get_wsgi_application()
# Judged sets of thousands are kept at hand and hold no cycles: looking through all of them again and again took a quarter of a
# page's time. What is there now stays for good, and the rest is looked through less often.
gc.collect()
gc.freeze()
gc.set_threshold(20_000, 20, 100)
