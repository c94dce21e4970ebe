<?xml version="1.0" encoding="utf-8"?>
<!DOCTYPE TS>
<TS version="2.1" language="en_US">
<context>
    <name>QObject</name>
    <message numerus="yes">
        <source>%1 has %n key(s) now, in place of its movers</source>
        <translation>
            <numerusform>%1 has %n key now, in place of its movers</numerusform>
            <numerusform>%1 has %n keys now, in place of its movers</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>%n key(s)</source>
        <translation>
            <numerusform>%n key</numerusform>
            <numerusform>%n keys</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ilumbra::BalanceRow</name>
    <message numerus="yes">
        <source>A row for each of its %n copies (P); with Shift one row again for all objects</source>
        <translation>
            <numerusform>A row for its copy (P); with Shift one row again for all objects</numerusform>
            <numerusform>A row for each of its %n copies (P); with Shift one row again for all objects</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>A row for each of %n (P)</source>
        <translation>
            <numerusform>A row for each of %n (P)</numerusform>
            <numerusform>A row for each of %n (P)</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ilumbra::CurveField</name>
    <message numerus="yes">
        <source>%n point(s)</source>
        <translation>
            <numerusform>%n point</numerusform>
            <numerusform>%n points</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ilumbra::DeliveryDialog</name>
    <message numerus="yes">
        <source>%1
%n frame(s) of %2 × %3 pixels, %4 samples</source>
        <translation>
            <numerusform>%1
%n frame of %2 × %3 pixels, %4 samples</numerusform>
            <numerusform>%1
%n frames of %2 × %3 pixels, %4 samples</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ilumbra::DocumentFiles</name>
    <message numerus="yes">
        <source>%n proofs were kept of a scene that was never saved.</source>
        <translation>
            <numerusform>A proof was kept of a scene that was never saved.</numerusform>
            <numerusform>%n proofs were kept of a scene that was never saved.</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ilumbra::HealthOverlay</name>
    <message numerus="yes">
        <source>and %n more with something wrong</source>
        <translation>
            <numerusform>and %n more with something wrong</numerusform>
            <numerusform>and %n more with something wrong</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ilumbra::ImportDialog</name>
    <message numerus="yes">
        <source>%n part(s)</source>
        <translation>
            <numerusform>%n part</numerusform>
            <numerusform>%n parts</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>%n triangle(s)</source>
        <translation>
            <numerusform>%n triangle</numerusform>
            <numerusform>%n triangles</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>%n material(s)</source>
        <translation>
            <numerusform>%n material</numerusform>
            <numerusform>%n materials</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>%n light(s)</source>
        <translation>
            <numerusform>%n light</numerusform>
            <numerusform>%n lights</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>%n numbered file(s) are one moving object</source>
        <translation>
            <numerusform>One numbered file is a moving object</numerusform>
            <numerusform>%n numbered files are one moving object</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ilumbra::MaterialLibrary</name>
    <message numerus="yes">
        <source>Put it on %n object(s)</source>
        <translation>
            <numerusform>Put it on %n object</numerusform>
            <numerusform>Put it on %n objects</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ilumbra::ModelFiles</name>
    <message numerus="yes">
        <source>%1; %n remark(s)</source>
        <translation>
            <numerusform>%1; %n remark</numerusform>
            <numerusform>%1; %n remarks</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>Gathered the document with %n file(s), %1 MiB</source>
        <translation>
            <numerusform>Gathered the document with %n file, %1 MiB</numerusform>
            <numerusform>Gathered the document with %n files, %1 MiB</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>; %n are missing</source>
        <translation>
            <numerusform>; %n is missing</numerusform>
            <numerusform>; %n are missing</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ilumbra::MotionChart</name>
    <message numerus="yes">
        <source>%n key(s) chosen</source>
        <translation>
            <numerusform>%n key chosen</numerusform>
            <numerusform>%n keys chosen</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>%1, %n key(s)</source>
        <translation>
            <numerusform>%1, %n key</numerusform>
            <numerusform>%1, %n keys</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>Move %n key(s)</source>
        <translation>
            <numerusform>Move %n key</numerusform>
            <numerusform>Move %n keys</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>Delete %n key(s)</source>
        <translation>
            <numerusform>Delete %n key</numerusform>
            <numerusform>Delete %n keys</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>%n key(s) copied</source>
        <translation>
            <numerusform>%n key copied</numerusform>
            <numerusform>%n keys copied</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>Paste %n key(s)</source>
        <translation>
            <numerusform>Paste %n key</numerusform>
            <numerusform>Paste %n keys</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>Stretch %n key(s)</source>
        <translation>
            <numerusform>Stretch %n key</numerusform>
            <numerusform>Stretch %n keys</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>Delete %n key(s)	Del</source>
        <translation>
            <numerusform>Delete %n key	Del</numerusform>
            <numerusform>Delete %n keys	Del</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>Mirror %n key(s)</source>
        <translation>
            <numerusform>Mirror %n key</numerusform>
            <numerusform>Mirror %n keys</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ilumbra::MotionPanel</name>
    <message numerus="yes">
        <source> · %n break(s) the loop</source>
        <translation>
            <numerusform> · %n breaks the loop</numerusform>
            <numerusform> · %n break the loop</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ilumbra::PatternPanel</name>
    <message numerus="yes">
        <source>Put on %n parameter(s); a change shows on all.</source>
        <translation>
            <numerusform>Put on %n parameter; a change shows on all.</numerusform>
            <numerusform>Put on %n parameters; a change shows on all.</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ilumbra::PictureFiles</name>
    <message numerus="yes">
        <source>Wrote %1 with %n sample(s)</source>
        <translation>
            <numerusform>Wrote %1 with %n sample</numerusform>
            <numerusform>Wrote %1 with %n samples</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ilumbra::PictureView</name>
    <message numerus="yes">
        <source>%n sample(s)</source>
        <translation>
            <numerusform>%n sample</numerusform>
            <numerusform>%n samples</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ilumbra::ProofsPanel</name>
    <message numerus="yes">
        <source>%n sample(s)</source>
        <translation>
            <numerusform>%n sample</numerusform>
            <numerusform>%n samples</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ilumbra::QueuePanel</name>
    <message numerus="yes">
        <source>%n value(s) of %1</source>
        <translation>
            <numerusform>%n value of %1</numerusform>
            <numerusform>%n values of %1</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ilumbra::StatusLine</name>
    <message numerus="yes">
        <source>%n model(s) have changed on disk: reload</source>
        <translation>
            <numerusform>A model has changed on disk: reload</numerusform>
            <numerusform>%n models have changed on disk: reload</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>Picture finished · %n sample(s)</source>
        <translation>
            <numerusform>Picture finished · %n sample</numerusform>
            <numerusform>Picture finished · %n samples</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>%1 (and %n more)</source>
        <translation>
            <numerusform>%1 (and %n more)</numerusform>
            <numerusform>%1 (and %n more)</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ilumbra::StripPanel</name>
    <message numerus="yes">
        <source>%1 · %n sample(s)</source>
        <translation>
            <numerusform>%1 · %n sample</numerusform>
            <numerusform>%1 · %n samples</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>%n picture(s)</source>
        <translation>
            <numerusform>%n picture</numerusform>
            <numerusform>%n pictures</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ilumbra::Studio</name>
    <message numerus="yes">
        <source>Proof %1 up to %n sample(s)</source>
        <translation>
            <numerusform>Proof %1 up to %n sample</numerusform>
            <numerusform>Proof %1 up to %n samples</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>%1 has %n sample(s) now</source>
        <translation>
            <numerusform>%1 has %n sample now</numerusform>
            <numerusform>%1 has %n samples now</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>%n value(s)</source>
        <translation>
            <numerusform>%n value</numerusform>
            <numerusform>%n values</numerusform>
        </translation>
    </message>
</context>
</TS>
