.PHONY: setup setup-tests demo test shots manual
VENV := .venv/bin
export PYTHONDONTWRITEBYTECODE =

setup:
	@bash scripts/setup.sh

setup-tests:
	@bash scripts/setup.sh tests

demo: setup
	@$(VENV)/ribalta demo

# What needs no time of its own runs beside all others, which often wait, with what is left of the machine.
BESIDE := tests/survey tests/devices/test_hostile_bytes.py tests/abuse/test_engine_poison.py \
	tests/desk/test_every_view.py tests/desk/test_any_show.py tests/desk/test_check_view.py \
	tests/desk/test_guide_line.py tests/desk/input/test_keys_everywhere.py tests/desk/test_rig_parts.py \
	tests/desk/test_floor_plan.py tests/desk/test_prompt_parts.py tests/desk/test_macro_steps.py
PYTEST := $(VENV)/python -m pytest
test: setup-tests
	@mkdir -p build; export QT_QPA_PLATFORM=offscreen; \
	nice -n 19 $(PYTEST) -m "not alone" tests/core > build/core.txt 2>&1 & core=$$!; \
	nice -n 19 $(PYTEST) -m "not alone" $(BESIDE) > build/beside.txt 2>&1 & beside=$$!; \
	nice -n 19 sh -c '$(VENV)/ruff check src tests bench && $(VENV)/mypy && $(VENV)/lint-imports' > build/read.txt 2>&1 & \
	read=$$!; \
	$(PYTEST) -n 3 --dist loadgroup -m 'not alone' --durations=10 $(addprefix --ignore=,tests/core $(BESIDE)); \
	most=$$?; \
	$(PYTEST) $$(grep -rlE 'mark\.alone' tests --include=test_*.py | sort) -m alone --durations=10; \
	alone=$$?; \
	wait $$core; core=$$?; wait $$beside; beside=$$?; wait $$read; read=$$?; \
	cat build/core.txt build/beside.txt build/read.txt; \
	[ $$most$$alone$$core$$beside$$read = 00000 ]

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
