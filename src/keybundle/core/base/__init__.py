"""What every room needs: errors, boxes, progress, atomic files, clock, ids."""
