"""Page text model and the OCR engine."""
