PY = .venv/bin/python
.PHONY: setup demo test shots bench lint clean

setup: .venv/ready

.venv/ready: pyproject.toml requirements.lock scripts/setup.sh scripts/system-packages.txt
	bash scripts/setup.sh

demo: setup
	bash scripts/demo.sh

lint: setup
	.venv/bin/ruff check src tests benchmarks scripts
	.venv/bin/mypy

test: lint
	bash scripts/test.sh

shots: setup
	bash scripts/on-display.sh $(PY) scripts/shots.py

bench: setup
	$(PY) -m benchmarks.run

clean:
	rm -rf .venv build dist
