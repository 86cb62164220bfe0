"""Ids that are told apart by their types: one thing's id is never taken for another's."""

from __future__ import annotations

from typing import NewType

BatchId = NewType("BatchId", str)
PageId = NewType("PageId", str)  # of a captured side, kept by all versions of what it is filed in
DocumentId = NewType("DocumentId", str)  # of a document in a batch; the filing key of what it is filed as
FiledId = NewType("FiledId", str)  # of a document in the repository
FieldId = NewType("FieldId", str)  # of a field of a document type
