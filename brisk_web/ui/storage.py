"""Static files with hashed names, those that modules import from each other included."""

from whitenoise.storage import CompressedManifestStaticFilesStorage


class ModuleStorage(CompressedManifestStaticFilesStorage):  # type: ignore[misc]  # it has no types
    """Names every file by its contents, and rewrites the imports of modules to those names."""

    support_js_module_import_aggregation = True
