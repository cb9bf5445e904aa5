"""Settings from the environment, each with a default that works."""

from pathlib import Path

from pydantic import Field, PostgresDsn, SecretStr, field_validator
from pydantic_settings import BaseSettings, SettingsConfigDict

from papiermappe.core.limits import DEFAULT_LIMIT_PX
from papiermappe.devices.model import Reach


class Settings(BaseSettings):
    """All settings; environment variables have the prefix PAPIERMAPPE_."""

    model_config = SettingsConfigDict(env_prefix="PAPIERMAPPE_", frozen=True)

    data_dir: Path = Path("var/desk")
    """Where captures, pictures made from them, filed documents and the private database lie."""

    database_url: PostgresDsn | None = None
    """A PostgreSQL server to use; none: the private one that the start command makes."""

    secret_key: SecretStr | None = None
    """Encrypts the passwords of destinations, as Fernet takes it; none: one is made in the data folder."""

    host: str = "127.0.0.1"
    port: int = Field(default=8000, ge=1, le=65535)
    allowed_hosts: tuple[str, ...] = ("127.0.0.1", "localhost")
    """Names under which the application may be asked for."""

    phone_host: str | None = None
    """This machine's address in the network, such as 192.168.1.20: phones send their pictures there, and nothing else
    can be reached there. None: a phone has to reach the application itself."""

    phone_port: int = Field(default=8001, ge=1, le=65535)

    discovery: Reach = Reach.NETWORK
    """Where scanners are looked for that announce themselves: on the network, on loopback, nowhere."""

    watch_roots: tuple[Path, ...] = ()
    """Folders below which folders may be watched, besides `watched` in the data folder."""

    language: str = "en-GB"
    """What the application speaks, as BCP 47 names it; what is not translated is English."""

    max_pixels: int = Field(default=DEFAULT_LIMIT_PX, ge=1_000_000)
    """Pictures with more pixels are refused before they are decoded."""

    max_page_bytes: int = Field(default=250_000_000, ge=1_000_000)
    """A device that sends more for one page is stopped."""

    worker_processes: int = Field(default=2, ge=1, le=64)
    """How many pages one worker works on at a time."""

    reads_ahead: bool = True
    """Whether workers read pages when they have nothing else to do; else they are read when they are filed."""

    @field_validator("data_dir")
    @classmethod
    def _absolute(cls, folder: Path) -> Path:
        return folder.expanduser().resolve()

    @property
    def known_hosts(self) -> list[str]:
        """All names under which the application may be asked for, that of phones included."""
        return [*self.allowed_hosts, *([self.phone_host] if self.phone_host else [])]

    @property
    def incoming_dir(self) -> Path:
        """The folder of files that are being brought in."""
        return self.data_dir / "incoming"

    @property
    def watchable(self) -> tuple[Path, ...]:
        """All folders below which folders may be watched; what is given by a name only lies in the first."""
        return (self.data_dir / "watched", *self.watch_roots)

    @property
    def blob_dir(self) -> Path:
        """The folder of the image files and filed documents."""
        return self.data_dir / "blobs"
