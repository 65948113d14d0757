PY = .venv/bin/python
PIP = $(PY) -m pip install -q --disable-pip-version-check
# packages are compiled as they are first imported: what is compiled is to be kept
unexport PYTHONDONTWRITEBYTECODE
.PHONY: setup demo test shots bench lint clean

setup: .venv/ready

.venv/ready: .venv/installed
	$(PY) -m juxtatune.cli.warm
	touch $@

.venv/installed: pyproject.toml requirements.lock scripts/setup.sh scripts/system-packages.txt
	bash scripts/setup.sh

# what only tests and checks need, while what runs is compiled
.venv/checking: .venv/installed requirements-dev.lock
	$(PIP) --no-compile --no-deps -r requirements-dev.lock
	touch $@

demo: setup
	bash scripts/demo.sh

lint: .venv/checking
	.venv/bin/ruff check src tests benchmarks scripts
	.venv/bin/mypy

# compiling what runs, and fetching and running the checks, go side by side
test:
	$(MAKE) --no-print-directory --output-sync=target -j2 setup lint
	bash scripts/test.sh

shots: setup
	bash scripts/on-display.sh $(PY) scripts/shots.py

bench: setup .venv/checking
	$(PY) -m benchmarks.run

clean:
	rm -rf .venv build dist
