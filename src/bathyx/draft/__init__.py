"""To-scale drawings as plain data: the desk paints them on the screen and the papers print them, from one source."""
