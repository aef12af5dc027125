# Salt Path in a container: `make wheel`, then `docker build -t saltpath -f Containerfile .` (or podman, buildah).
# How it is started, and what stands before it: docs/deployment.md.
FROM debian:bookworm-slim
RUN apt-get update \
    && apt-get install -y --no-install-recommends python3-venv \
    && rm -rf /var/lib/apt/lists/*
RUN useradd --system --uid 10001 --home-dir /var/lib/saltpath saltpath \
    && install -d -o saltpath -m 700 /var/lib/saltpath
# what it needs comes in the versions that were tested
COPY requirements.lock dist/saltpath-*.whl /tmp/
RUN python3 -m venv /opt/saltpath \
    && /opt/saltpath/bin/pip install --no-cache-dir -r /tmp/requirements.lock \
    && /opt/saltpath/bin/pip install --no-cache-dir --no-deps /tmp/saltpath-*.whl
USER saltpath
VOLUME /var/lib/saltpath
EXPOSE 8420
ENTRYPOINT ["/opt/saltpath/bin/saltpath", "serve", "--data", "/var/lib/saltpath", "--host", "0.0.0.0"]
CMD ["--plain-http"]
