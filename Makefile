PY = .venv/bin/python
.PHONY: setup demo test shots bench lint clean

setup: .venv/ready

.venv/ready: .venv/installed
	$(PY) -m juxtatune.cli.warm
	touch $@

.venv/installed: pyproject.toml requirements.lock scripts/setup.sh scripts/system-packages.txt
	bash scripts/setup.sh

demo: setup
	bash scripts/demo.sh

lint: .venv/installed
	.venv/bin/ruff check src tests benchmarks scripts
	.venv/bin/mypy

# checking the code and compiling it go side by side
test: .venv/installed
	$(MAKE) --no-print-directory --output-sync=target -j2 setup lint
	bash scripts/test.sh

shots: setup
	bash scripts/on-display.sh $(PY) scripts/shots.py

bench: setup
	$(PY) -m benchmarks.run

clean:
	rm -rf .venv build dist
