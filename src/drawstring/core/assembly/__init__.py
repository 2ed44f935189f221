"""Assembly: the picture's parts added up, held against the beauty, and changed one by one."""
