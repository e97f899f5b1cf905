"""Static files with a digest in their names, scripts that import scripts included."""

from __future__ import annotations

from whitenoise.storage import CompressedManifestStaticFilesStorage


class StaticFiles(CompressedManifestStaticFilesStorage):
    """A changed module gets a new name, and whoever imports it follows."""

    support_js_module_import_aggregation = True
