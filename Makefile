.PHONY: setup setup-tests demo test shots manual
VENV := .venv/bin
export PYTHONDONTWRITEBYTECODE =

setup:
	@bash scripts/setup.sh

setup-tests:
	@bash scripts/setup.sh tests

demo: setup
	@$(VENV)/ribalta demo

# What needs no time of its own runs beside all others, which often wait, with what is left of the machine: what has no
# windows, and what draws them.
WOUND := tests/core tests/survey tests/standins tests/abuse/test_engine_poison.py tests/devices/test_hostile_bytes.py \
	tests/devices/test_visca.py tests/devices/test_glides.py tests/test_docstrings.py tests/test_shape.py \
	tests/abuse/test_colour.py tests/media/test_pace.py tests/media/test_loudness.py \
	tests/server/test_automation_runs.py tests/app/test_loading.py
DRAWN := tests/desk tests/app/test_manual.py tests/app/test_handover_command.py
PYTEST := $(VENV)/python -m pytest
test: setup-tests
	@mkdir -p build; export QT_QPA_PLATFORM=offscreen; \
	nice -n 19 $(PYTEST) -m "not alone" $(WOUND) > build/wound.txt 2>&1 & wound=$$!; \
	nice -n 19 $(PYTEST) -m "not alone" $(DRAWN) > build/drawn.txt 2>&1 & drawn=$$!; \
	nice -n 19 sh -c '$(VENV)/ruff check src tests bench && $(VENV)/mypy && $(VENV)/lint-imports' > build/read.txt 2>&1 & \
	read=$$!; \
	$(PYTEST) $$(grep -rlE 'mark\.alone' tests --include=test_*.py | sort) -m alone --durations=10; \
	alone=$$?; \
	$(PYTEST) -n 3 --dist loadgroup -m 'not alone' --durations=10 $(addprefix --ignore=,$(WOUND) $(DRAWN)); \
	most=$$?; \
	wait $$wound; wound=$$?; wait $$drawn; drawn=$$?; wait $$read; read=$$?; \
	cat build/wound.txt build/drawn.txt build/read.txt; \
	[ $$most$$alone$$wound$$drawn$$read = 00000 ]

manual: setup
	@$(VENV)/ribalta manual docs/manual && cp docs/manual/what-guests-may-do.md src/ribalta/guide/

shots: setup-tests
	@$(VENV)/ribalta screenshots docs/screenshots && PYTHONPATH=. $(VENV)/python scripts/guest_shots.py docs/screenshots

# What is installed elsewhere: each target builds, the -test one also installs it in a clean place and starts the demo.
.PHONY: share wheel wheel-test deb deb-test
share: setup
	@rm -rf build/share && $(VENV)/python scripts/share.py build/share && find build/share -type f | wc -l

wheel: setup
	@bash scripts/wheel.sh

wheel-test: setup
	@bash scripts/wheel.sh test

deb: share
	@bash scripts/deb.sh

deb-test: deb
	@bash scripts/deb.sh test
