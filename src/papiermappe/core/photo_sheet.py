"""The sheet on a photo, as it is kept with the photo."""

from pydantic import BaseModel, ConfigDict

from papiermappe.core.geometry import Quad

SURE = 0.5


class PhotoSheet(BaseModel):
    """The sheet on a photo, as it was found."""

    model_config = ConfigDict(frozen=True)

    corners: Quad
    """In mm on the capture."""
    confidence: float
    """0 to 1; below 0.5 it is a guess, and the photo is left as it came."""

    @property
    def is_sure(self) -> bool:
        """Whether the sheet is made flat by them."""
        return self.confidence >= SURE
