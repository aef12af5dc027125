"""nginx with a 600-byte JSON body and keep-alive, so that the server is not the limit. One worker,
on a port of its own."""

from __future__ import annotations

import contextlib
import json
import shutil
import socket
import subprocess
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

BODY = json.dumps(
    {
        "id": "PC-20931",
        "vessel": "Marrow Finch",
        "state": "quoted",
        "eta": "2026-11-25T06:40:00Z",
        "berth": {"id": "E1", "name": "East 1", "metres": 30},
        "fee": {
            "lines": [
                {"code": "QUAY", "text": "Quay dues by length", "amount": 374.40},
                {"code": "TON", "text": "Tonnage dues", "amount": 32.40},
                {"code": "WASTE", "text": "Waste reception", "amount": 42.00},
            ],
            "total": 448.80,
            "currency": "FHC",
        },
        "pilots": ["Tor Eikeland"],
        "remark": None,
        "note": "s" * 90,
    }
)

CONFIG = """
worker_processes 1; daemon off; pid {folder}/nginx.pid; error_log {folder}/error.log crit;
events {{ worker_connections 1024; }}
http {{
  access_log off; keepalive_requests 100000000; keepalive_timeout 600s;
  client_body_temp_path {folder}/b; proxy_temp_path {folder}/p; fastcgi_temp_path {folder}/f;
  uwsgi_temp_path {folder}/u; scgi_temp_path {folder}/s;
  server {{ listen 127.0.0.1:{port} backlog=1024; location / {{ default_type application/json;
    return 200 '{body}'; }} }}
}}
"""


@contextlib.contextmanager
def harbour() -> Iterator[str]:
    """The address of a running nginx. Raises RuntimeError if nginx is not installed (Debian:
    nginx-light)."""
    nginx = shutil.which("nginx") or "/usr/sbin/nginx"
    if not Path(nginx).exists():
        raise RuntimeError("nginx is needed: apt-get install nginx-light")
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    with tempfile.TemporaryDirectory() as folder:
        config = Path(folder) / "nginx.conf"
        config.write_text(CONFIG.format(folder=folder, port=port, body=BODY))
        process = subprocess.Popen([nginx, "-c", str(config), "-p", folder])
        try:
            for _ in range(100):
                with (
                    contextlib.suppress(OSError),
                    socket.create_connection(("127.0.0.1", port), 0.2),
                ):
                    break
                time.sleep(0.05)
            yield f"http://127.0.0.1:{port}/port-calls/PC-20931"
        finally:
            process.terminate()
            process.wait()
