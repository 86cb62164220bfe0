"""What workers find loaded: in the order in which it is needed, in steps between which a worker for pictures can be begun."""

LIGHT = ("keybundle.core.workflows.pages.picture_work",)
WARM = (
    "numpy", "PIL.Image", "cv2", *LIGHT, "tesserocr", "keybundle.core.workflows.line.page_work",
    "keybundle.core.workflows.line.page_work:load", "keybundle.core.workflows.pages.pdf_work",
)  # fmt: skip
