.PHONY: setup demo test shots manual
VENV := .venv/bin

setup:
	@bash scripts/setup.sh

demo: setup
	@$(VENV)/ribalta demo

test: setup
	@$(VENV)/ruff check src tests bench
	@$(VENV)/mypy
	@$(VENV)/lint-imports
	@QT_QPA_PLATFORM=offscreen $(VENV)/python -m pytest -n 2 --dist loadgroup -m 'not alone' --durations=10
	@QT_QPA_PLATFORM=offscreen $(VENV)/python -m pytest -m alone --durations=10

manual: setup
	@$(VENV)/ribalta manual docs/manual

shots: setup
	@$(VENV)/ribalta screenshots docs/screenshots
