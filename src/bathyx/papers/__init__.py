"""What goes to the bench and to the customer: DXF, PDF and CSV, each from the evaluation or the register."""
