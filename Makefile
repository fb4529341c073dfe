.PHONY: setup demo test shots manual
VENV := .venv/bin
export PYTHONDONTWRITEBYTECODE =

setup:
	@bash scripts/setup.sh

demo: setup
	@$(VENV)/ribalta demo

# lint, types and contracts are looked at beside the tests, in the time that these leave
test: setup
	@mkdir -p build; \
	(nice -n 19 sh -c '$(VENV)/ruff check src tests bench && $(VENV)/mypy && $(VENV)/lint-imports') > build/checks.txt 2>&1 & \
	checks=$$!; \
	QT_QPA_PLATFORM=offscreen $(VENV)/python -m pytest -n 2 --dist loadgroup -m 'not alone' --durations=10; tests=$$?; \
	wait $$checks; checked=$$?; cat build/checks.txt; [ $$tests = 0 ] && [ $$checked = 0 ]
	@QT_QPA_PLATFORM=offscreen $(VENV)/python -m pytest $$(grep -rlE 'mark\.alone' tests --include=test_*.py | sort) -m alone --durations=10

manual: setup
	@$(VENV)/ribalta manual docs/manual

shots: setup
	@$(VENV)/ribalta screenshots docs/screenshots
