"""The application's log: one JSON object a line, with the request's number; never a name, a reading or what was typed."""

from __future__ import annotations

import traceback
from typing import Any

import structlog


def without_words(_: Any, __: str, event: dict[str, Any]) -> dict[str, Any]:
    """An exception as its kind and where it came from: its message may quote what somebody typed."""
    told = event.pop("exc_info", None)
    error = told[1] if isinstance(told, tuple) else told
    if isinstance(error, BaseException):
        event["error"] = type(error).__name__
        event["at"] = [
            f"{frame.filename.rsplit('/', 2)[-2]}/{frame.filename.rsplit('/', 1)[-1]}:{frame.lineno}"
            for frame in traceback.extract_tb(error.__traceback__)[-12:]
        ]
    return event


def without_addresses(_: Any, __: str, event: dict[str, Any]) -> dict[str, Any]:
    """Django's own warnings without the address that was asked for: it may be somebody's secret."""
    if str(event.get("logger", "")).startswith(("django.request", "django.security", "django.server")):
        event["event"] = str(event["event"]).partition(":")[0]
    return event


SHARED: list[Any] = [
    structlog.contextvars.merge_contextvars,
    structlog.stdlib.add_logger_name,
    structlog.stdlib.add_log_level,
    structlog.processors.TimeStamper(fmt="iso", utc=True),
    without_words,
    without_addresses,
]


def configure() -> None:
    """Let structlog write through the standard library's logging, so that Django's own lines look the same."""
    structlog.configure(
        processors=[*SHARED, structlog.stdlib.ProcessorFormatter.wrap_for_formatter],
        logger_factory=structlog.stdlib.LoggerFactory(),
        wrapper_class=structlog.stdlib.BoundLogger,
        cache_logger_on_first_use=True,
    )


def logging_of(mode: str) -> dict[str, Any]:
    """Django's LOGGING. mode: production tells every request; demo and test only what is wrong."""
    quiet = "INFO" if mode == "production" else "WARNING"
    return {
        "version": 1,
        "disable_existing_loggers": False,
        "formatters": {
            "json": {
                "()": structlog.stdlib.ProcessorFormatter,
                "foreign_pre_chain": SHARED,
                "processors": [structlog.stdlib.ProcessorFormatter.remove_processors_meta, structlog.processors.JSONRenderer(sort_keys=True)],
            }
        },
        "handlers": {"console": {"class": "logging.StreamHandler", "formatter": "json"}},
        "root": {"handlers": ["console"], "level": "WARNING"},
        "loggers": {
            "workbench": {"level": quiet},
            "procrastinate": {"level": "WARNING"},
            "axes": {"level": "CRITICAL", "propagate": False},
            "django.server": {"handlers": ["console"], "level": "WARNING", "propagate": False},
        },
    }
