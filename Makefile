# For those who type make: every target is `./run TARGET`.
.PHONY: demo test desk bench docs screenshots clean

demo test desk bench docs screenshots:
	./run $@

clean:
	rm -rf .venv .demo .pytest_cache .mypy_cache .ruff_cache .hypothesis
