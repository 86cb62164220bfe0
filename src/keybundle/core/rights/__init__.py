"""What people may do, computed: rights, roles, lists of whom something is kept to. Plain functions over plain data."""
