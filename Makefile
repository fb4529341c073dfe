.PHONY: setup demo test shots manual
VENV := .venv/bin
export PYTHONDONTWRITEBYTECODE =

setup:
	@bash scripts/setup.sh

demo: setup
	@$(VENV)/ribalta demo

# Three at once on two cores, as many wait for sockets. What needs no time of its own runs beside the tests that run
# alone, which leave half of the machine idle.
BESIDE := tests/core tests/survey
test: setup
	@QT_QPA_PLATFORM=offscreen $(VENV)/python -m pytest -n 3 --dist loadgroup -m 'not alone' --durations=10 \
		$(addprefix --ignore=,$(BESIDE))
	@mkdir -p build; \
	(nice -n 19 sh -c '$(VENV)/ruff check src tests bench && $(VENV)/mypy && $(VENV)/lint-imports && \
		$(VENV)/python -m pytest $(BESIDE)') > build/beside.txt 2>&1 & \
	beside=$$!; \
	QT_QPA_PLATFORM=offscreen $(VENV)/python -m pytest $$(grep -rlE 'mark\.alone' tests --include=test_*.py | sort) \
		-m alone --durations=10; tests=$$?; \
	wait $$beside; done=$$?; cat build/beside.txt; [ $$tests = 0 ] && [ $$done = 0 ]

manual: setup
	@$(VENV)/ribalta manual docs/manual

shots: setup
	@$(VENV)/ribalta screenshots docs/screenshots
