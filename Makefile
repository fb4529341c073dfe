.PHONY: setup demo test shots manual
VENV := .venv/bin
export PYTHONDONTWRITEBYTECODE =

setup:
	@bash scripts/setup.sh

demo: setup
	@$(VENV)/ribalta demo

# lint, types and contracts are looked at beside the tests that run alone, which leave half of the machine idle
test: setup
	@QT_QPA_PLATFORM=offscreen $(VENV)/python -m pytest -n 2 --dist loadgroup -m 'not alone' --durations=10
	@mkdir -p build; \
	(nice -n 19 sh -c '$(VENV)/ruff check src tests bench && $(VENV)/mypy && $(VENV)/lint-imports') > build/checks.txt 2>&1 & \
	checks=$$!; \
	QT_QPA_PLATFORM=offscreen $(VENV)/python -m pytest $$(grep -rlE 'mark\.alone' tests --include=test_*.py | sort) \
		-m alone --durations=10; tests=$$?; \
	wait $$checks; checked=$$?; cat build/checks.txt; [ $$tests = 0 ] && [ $$checked = 0 ]

manual: setup
	@$(VENV)/ribalta manual docs/manual

shots: setup
	@$(VENV)/ribalta screenshots docs/screenshots
