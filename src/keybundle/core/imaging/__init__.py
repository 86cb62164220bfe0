"""Pictures of pages: decode, judge, clean."""
