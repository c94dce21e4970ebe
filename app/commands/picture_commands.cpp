#include "app/commands/menus.h"

#include "app/drawer/proofs_panel.h"
#include "app/main_window.h"
#include "app/theme.h"
#include "app/viewport/health_overlay.h"
#include "app/viewport/picture_bar.h"
#include "app/viewport/picture_view.h"
#include "core/compile/camera.h"
#include "core/document/edit.h"

#include <QCoreApplication>

namespace ilumbra {
namespace {

QString tr(const char* text) { return QCoreApplication::translate("PictureMenu", text); }

// The mean of the picture's stops, black apart, becomes middle grey.
void meter(Studio& studio) {
  const auto& image = studio.image();
  const Node* camera = activeCamera(studio.doc());
  if (!image || !image->linear || !camera) return studio.tell(tr("There is no picture to meter yet"), true);
  double sum = 0;
  size_t counted = 0;
  for (size_t i = 0; i < image->linear->pixels(); ++i) {
    const float* p = image->linear->rgb.data() + 3 * i;
    const double l = double(luminance({p[0], p[1], p[2]}));
    if (l < 1e-7) continue;
    sum += std::log2(l);
    ++counted;
  }
  if (!counted) return studio.tell(tr("The picture is black: there is nothing to meter"), true);
  const double by = std::round((sum / double(counted) - std::log2(0.18)) * 10) / 10;
  const NodeId id = camera->id;
  const double ev = Params(*camera, studio.frame()).number("ev100") + by;
  studio.edit(tr("Meter the exposure"),
              [&](const Document& d) { return setValue(d, id, "ev100", Constant(std::clamp(ev, -40.0, 40.0))); });
  studio.tell(tr("Exposure set to %1 EV").arg(ev, 0, 'f', 1));
}

} // namespace

void addPictureCommands(MainWindow& w) {
  CommandMenu menu(w.commands(), tr("Picture"));
  menu.add("picture.keep", tr("Keep as a proof"), "Ctrl+Return", tr("Keeps the picture with the document that made it"),
           [&w] { w.studio().keep(); });
  menu.add(
      "picture.go_on", tr("Go on from the chosen proof"), "", tr("Makes the proof's document the current one"),
      [&w] { w.studio().goOnFrom(w.proofs().chosen()); }, [&w] { return w.proofs().chosen() != 0; });
  const auto mode = [&w](Compare c) {
    return [&w, c] {
      Studio::View v = w.studio().view();
      v.compare = c;
      if (c != Compare::None && !w.studio().proof(v.proof)) {
        if (w.studio().proofs().empty())
          return w.studio().tell(tr("Keep a proof first: there is nothing to compare with"), true);
        v.proof = w.studio().proofs().back()->number;
      }
      w.studio().setView(v);
    };
  };
  menu.add("picture.live", tr("Picture"), "F5", tr("The live picture alone"), mode(Compare::None), {}, true);
  menu.add("picture.wipe", tr("Wipe"), "F6", tr("Live picture and proof with an edge between"), mode(Compare::Wipe));
  menu.add("picture.side", tr("Side by side"), "F7", tr("Live picture and proof beside each other"),
           mode(Compare::SideBySide));
  menu.add("picture.difference", tr("Difference"), "F8", tr("What live picture and proof do not share"),
           mode(Compare::Difference));
  menu.add(
      "picture.frame", tr("Frame the selection"), "Ctrl+J",
      tr("Moves the camera until the selection fills the picture"), [&w] { w.picture().frameSelection(); }, {}, true);
  const auto flip = [&w](bool Studio::View::*member) {
    return [&w, member] {
      Studio::View v = w.studio().view();
      v.*member = !(v.*member);
      w.studio().setView(v);
    };
  };
  menu.add("picture.pause", tr("Pause"), "F9", tr("Stops refining; edits still show"), flip(&Studio::View::paused));
  menu.add("picture.lens", tr("Lens on or off"), "Ctrl+Shift+L", tr("The picture with or without its lens stages"),
           flip(&Studio::View::withLens));
  menu.add("picture.raw", tr("Raw or denoised"), "Ctrl+Shift+R", tr("The picture as it was sampled, or denoised"),
           flip(&Studio::View::raw));
  menu.add("picture.stops", tr("Stops overlay"), "Ctrl+T", tr("False colour by stops from white"),
           flip(&Studio::View::stopsOverlay));
  menu.add("picture.air_depth", tr("Optical depth of the air"), "Ctrl+Alt+A",
           tr("False colour by how much air stands before what is seen: at 1 a third of the light comes through"),
           [&w] {
             Studio::View v = w.studio().view();
             v.pass = v.pass == ShownPass::AirDepth ? ShownPass::Light : ShownPass::AirDepth;
             w.studio().setView(v);
             w.bar().refresh();
           });
  menu.add("picture.which_lamp", tr("Which lamp did that?"), "Ctrl+Alt+0",
           tr("All light but the strongest at the pointer dims; again: the next; Esc: the picture. In the picture, "
              "while L is held"),
           [&w] {
             w.picture().setFocus();
             w.picture().askWhichLamp();
           });
  menu.add("picture.clips", tr("Clipping warning"), "Ctrl+Shift+T", tr("Stripes over what the display cannot show"),
           flip(&Studio::View::clipping));
  menu.add(
      "picture.health", tr("Mesh health"), "Ctrl+Alt+T",
      tr("What is wrong with the meshes of the selection: open edges, faces that look inwards, lie double or cross "
         "others"),
      [&w] { w.picture().health().setOn(!w.picture().health().on()); });
  menu.add("picture.mend", tr("Mend the meshes"), "Ctrl+Alt+Shift+T",
           tr("Adds a modifier to them that closes holes, turns faces outwards and takes out doubled ones"),
           [&w] { w.picture().health().mend(); });
  bool separator = false; // the region stands with what the picture shows
  for (const ViewportToolKind& t : viewportTools()) {
    menu.add(("picture." + t.id.toStdString()).c_str(), t.label, t.keys.toUtf8().constData(), t.help,
             [&w, id = t.id] {
               if (w.picture().setTool(w.picture().tool() == id ? QString() : id)) w.picture().setFocus();
             },
             {}, std::exchange(separator, t.id == QStringLiteral("region")));
  }
  menu.add("picture.meter", tr("Meter the exposure"), "Ctrl+Shift+M",
           tr("Sets the camera's exposure so that the picture's middle brightness is middle grey"),
           [&w] { meter(w.studio()); });
  menu.add(
      "picture.play", tr("Play or stop"), "Ctrl+P", tr("Plays the frames of the range"),
      [&w] { w.bar().play(!w.bar().playing()); }, {}, true);
  menu.add("picture.next_frame", tr("Next frame"), "Ctrl+Right", tr("One frame on"), [&w] { w.bar().stepFrame(1); });
  menu.add("picture.previous_frame", tr("Previous frame"), "Ctrl+Left", tr("One frame back"),
           [&w] { w.bar().stepFrame(-1); });
  const auto playFrom = [&w](bool first) {
    Studio::View v = w.studio().view();
    auto [from, to] = w.studio().playRange();
    (first ? from : to) = w.studio().frame();
    if (to < from) (first ? to : from) = w.studio().frame();
    v.playFirst = from;
    v.playLast = to;
    w.studio().setView(v);
    w.studio().tell(tr("Frames %1 to %2 are played").arg(from).arg(to));
  };
  menu.add("picture.play_from", tr("Play from here"), "Ctrl+Shift+Left", tr("What is played begins at this frame"),
           [playFrom] { playFrom(true); });
  menu.add("picture.play_to", tr("Play to here"), "Ctrl+Shift+Right", tr("What is played ends at this frame"),
           [playFrom] { playFrom(false); });
  menu.add("picture.play_all", tr("Play the whole range"), "Ctrl+Shift+Up", tr("As the document has it"), [&w] {
    Studio::View v = w.studio().view();
    v.playFirst = 1;
    v.playLast = 0;
    w.studio().setView(v);
  });
  menu.add("picture.to_and_fro", tr("Play to and fro"), "Ctrl+Shift+Down",
           tr("Forwards, then backwards; once more: from the start again"), [&w] {
             Studio::View v = w.studio().view();
             v.toAndFro = !v.toAndFro;
             w.studio().setView(v);
             w.studio().tell(v.toAndFro ? tr("Plays to and fro") : tr("Plays from the start again"));
           });
  menu.add("picture.ahead", tr("Render ahead"), "Ctrl+Shift+Return",
           tr("Renders the frames that are played and keeps them, coarse ones first; once more: stops"), [&w] {
             Studio::View v = w.studio().view();
             v.ahead = !v.ahead;
             w.studio().setView(v);
           });
  menu.add(
      "picture.settings", tr("Picture settings"), "Ctrl+Shift+P", tr("Size, samples, frames of the picture as a whole"),
      [&w] {
        w.studio().select({});
        w.showRight(MainWindow::Right::Settings);
      },
      {}, true);
}

} // namespace ilumbra
