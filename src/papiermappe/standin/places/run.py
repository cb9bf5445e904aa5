"""Runs the stand-ins for places that documents go to."""

import logging
from pathlib import Path

import httpx
import obstore
from moto.server import ThreadedMotoServer
from obstore.store import S3Store

from papiermappe.standin.places.page import page_server
from papiermappe.standin.places.postbox import Postbox

BUCKET = "hollerbeck-papers"
ACCESS_KEY, SECRET_KEY = "hollerbeck", "orchard"


def run(port: int, folder: Path) -> None:
    """Run until the process is ended: the page on `port`, mail on the port after it, the object store on the next.

    Args:
        port: the first of three.
        folder: where mails are kept. What the object store has is gone at the end.
    """
    logging.getLogger("werkzeug").setLevel(logging.ERROR)
    postbox = Postbox(folder)
    mail = postbox.server(port + 1)
    mail.start()
    objects = ThreadedMotoServer("127.0.0.1", port + 2, verbose=False)
    objects.start()
    address = f"http://127.0.0.1:{port + 2}"
    httpx.put(f"{address}/{BUCKET}", trust_env=False).raise_for_status()
    bucket = S3Store(
        BUCKET,
        endpoint=address,
        region="us-east-1",
        access_key_id=ACCESS_KEY,
        secret_access_key=SECRET_KEY,
        client_options={"allow_http": True},
    )

    def names() -> list[str]:
        return [found["path"] for page in obstore.list(bucket) for found in page]

    try:
        page_server(port, postbox, names).serve_forever()
    finally:
        mail.stop()
        objects.stop()
