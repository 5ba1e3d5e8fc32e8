package rilvan.server;

import static com.tngtech.archunit.lang.syntax.ArchRuleDefinition.noClasses;

import com.tngtech.archunit.core.importer.ImportOption;
import com.tngtech.archunit.junit.AnalyzeClasses;
import com.tngtech.archunit.junit.ArchTest;
import com.tngtech.archunit.lang.ArchRule;

/** Arrows point one way: server to protocol to core, and nobody points at the server. */
@AnalyzeClasses(packages = "rilvan", importOptions = ImportOption.DoNotIncludeTests.class)
class ArrowsTest {

    @ArchTest
    static final ArchRule CORE = noClasses().that().resideInAPackage("rilvan.core..").should().dependOnClassesThat()
            .resideInAnyPackage("rilvan.protocol..", "rilvan.server..");

    @ArchTest
    static final ArchRule PROTOCOL = noClasses().that().resideInAPackage("rilvan.protocol..").should().dependOnClassesThat()
            .resideInAnyPackage("rilvan.server..", "rilvan.core.model..", "rilvan.core.plan..", "rilvan.core.transaction..", "rilvan.core.ledger..");

    @ArchTest
    static final ArchRule STORE = noClasses().that().resideInAPackage("rilvan.server.store..").should().dependOnClassesThat()
            .resideInAnyPackage("rilvan.server.api..", "rilvan.server.access..", "rilvan.server.orders..", "rilvan.server.inventory..", "rilvan.server.monitoring..");

    @ArchTest
    static final ArchRule THE_API_IS_ON_TOP = noClasses().that().resideOutsideOfPackage("rilvan.server.api..").should()
            .dependOnClassesThat().resideInAPackage("rilvan.server.api..");

    /** But for the description of the interface, whose library has the other one inside. */
    @ArchTest
    static final ArchRule ONE_JSON = noClasses().that().resideOutsideOfPackage("rilvan.server.api.description..").should().dependOnClassesThat().resideInAPackage("com.fasterxml.jackson.databind..");

    @ArchTest
    static final ArchRule NO_YANG_LIBRARY = noClasses().should().dependOnClassesThat().resideInAPackage("org.opendaylight..");
}
