package rilvan.kit;
final class ModelPage { private ModelPage() {} static String of(rilvan.core.catalog.Catalog c, java.nio.file.Path p) { return ""; } }
