"""What a bench asks of a register: records, holds, and a server that may be away."""
