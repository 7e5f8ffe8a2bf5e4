"""ASGI entry: what uvicorn serves."""

import os
import resource

from django.core.asgi import get_asgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "zeitbild_server.settings")
_django = get_asgi_application()
# As many files as may come at once are open until they were taken in.
_soft, _hard = resource.getrlimit(resource.RLIMIT_NOFILE)
resource.setrlimit(resource.RLIMIT_NOFILE, (min(_hard, max(_soft, 16_384)), _hard))

# Loading compiled kernels takes a second or two: better now than at somebody's first picture.
from operation.access_log import AccessLog  # noqa: E402
from shots.rendering import warm_up  # noqa: E402  (applications must be loaded first)
from zeitbild.memory import give_back_when_idle  # noqa: E402
from zeitbild_server.lifeline import end_with_launcher  # noqa: E402
from zeitbild_server.limits import BodyLimits  # noqa: E402
from zeitbild_server.threads import KeptThreads  # noqa: E402

application = AccessLog(KeptThreads(BodyLimits(_django)))

end_with_launcher()
warm_up()
give_back_when_idle()
