"""A simulated S3-compatible bucket on loopback: moto's server in a thread."""

from collections.abc import Iterator
from contextlib import contextmanager

import boto3
from moto.server import ThreadedMotoServer

NAME = "clinamen-test"
KEYS = {"aws_access_key_id": "made-up", "aws_secret_access_key": "made-up", "region_name": "us-east-1"}


@contextmanager
def served() -> Iterator[str]:
    """An empty bucket's server: its address."""
    server = ThreadedMotoServer(ip_address="127.0.0.1", port=0, verbose=False)
    server.start()
    host, port = server.get_host_and_port()
    address = f"http://{host}:{port}"
    try:
        boto3.client("s3", endpoint_url=address, **KEYS).create_bucket(Bucket=NAME)
        yield address
    finally:
        server.stop()


def environment(address: str) -> dict[str, str]:
    """What processes are told of it."""
    return {
        "CLINAMEN_BUCKET": NAME, "CLINAMEN_BUCKET_ADDRESS": address, "CLINAMEN_BUCKET_REGION": "us-east-1",
        "CLINAMEN_BUCKET_KEY": "made-up", "CLINAMEN_BUCKET_SECRET": "made-up",
    }  # fmt: skip


def storage(address: str) -> dict[str, object]:
    """The same as Django's setting."""
    told = {"bucket_name": NAME, "endpoint_url": address, "access_key": "made-up", "secret_key": "made-up"}
    return {
        "BACKEND": "storages.backends.s3.S3Storage",
        "OPTIONS": {**told, "region_name": "us-east-1", "file_overwrite": True},
    }
