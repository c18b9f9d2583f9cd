release-number = versão { $number }
release = { $release } de { $name }, publicada em { $day }
ends-soon = nota: as assinaturas dela terminam em { $day }; avise quem convidou você de que ela precisa ser publicada de novo
unreachable = nota: { $address } não pode ser alcançado ({ $reason }); vale o que dizia da última vez
followed-before = nota: até agora este jogo seguia { $invite }
nothing-yet = nota: ainda não há nada de { $game } nesta pasta
looks-after = nota: do seu jogo, isto cuida dos mods em { $folders }; de mais nada
looks-after-more = nota: do seu jogo, isto cuida dos mods em { $folders }, e muda o que pertence a eles em { $others }; mais nada
own-folder = a própria pasta do jogo
other-version = nota: { $what } é { $here } aqui e { $there } no servidor: enquanto não for igual, você não entra, sejam quais forem os mods
what-game = o jogo
what-loader = o carregador dos mods
what-runtime = aquilo em que o jogo roda
root-beyond = nota: entre elas está a própria pasta do jogo, onde ficam os programas, e não só pastas de mods
programs-beyond = nota: poria ou mudaria { $programs } fora das pastas de mods:
programs = { $count ->
    [one] 1 programa ou script
   *[other] { $count } programas ou scripts
}
beyond-later = nota: isso será perguntado à parte; sem terminal é preciso --beyond-mods
beyond-nobody = nada foi feito, pois não havia a quem perguntar; se você confia tanto em quem convidou, acrescente --beyond-mods
interrupted = a última vez foi interrompida depois de { $done } de { $all } passos; primeiro ela é terminada

key-yes = s
key-no = n
ask-do = Fazer isto?
ask-optional = Levar também { $mod }? Dá para jogar sem ele.
ask-finish = Terminar?
ask-other = Seguir a nova de agora em diante, e não mais a outra?
ask-root = Deixar cuidar também dessa pasta?
ask-trust = Você confia tanto em quem convidou?
ask-anyway = { $error }. É mesmo assim a pasta do jogo?

plan = { $game } precisa disto ({ $size } a gravar):
change-new = novo
change-other = mudado
change-mended = consertado
change-gone = retirado
change-renamed = renomeado
change-kept = guardado
more-mods = { $count ->
    [one] e mais 1 mod
   *[other] e mais { $count } mods
}
not-on-server = o servidor não o tem

word-done = feito
word-in-line = em dia
word-still-off = ainda errado
word-fetched = baixado
done = { $word }: { $game } está em dia com { $server }
done-partly = { $word }: tudo o que se pode daqui
in-line = { $game } está { $word } com { $server }
still-off = { $word } em { $game }, e sem conserto daqui:
take-back = para desfazer: { $command }
after-update = depois da próxima atualização: { $command }
do-this = faça: { $command }
kept-in = o que havia está guardado em { $folder }
backups-gone = { $size } de cópias antigas se foram; as últimas { $count } ainda podem ser desfeitas, e o que era seu continua guardado
fetched = { $word }: { $size } para { $files }
fetched-reused = { $size } em pedaços já estavam aqui
files = { $count ->
    [one] 1 arquivo
   *[other] { $count } arquivos
}

join-hello = Olá! Convidaram você para jogar, e isto prepara o seu jogo.
join-safe = Nada muda antes de você dizer sim, e tudo pode ser desfeito.
join-where = Onde está o seu jogo? Digite um número ou a pasta; você pode arrastar a pasta para esta janela. Só Enter para sair.
join-looks-like-it = { $folder } (parece o jogo)
join-no-folder = Não há pasta { $folder } aqui.
join-no-number = Nada aqui tem o número { $number }.
join-menu = { $game } já é conhecido. E agora? Só Enter é 1.
join-menu-ready = Preparar para entrar
join-menu-undo = Desfazer a última mudança
join-menu-put-back = Devolver algo que foi posto de lado
join-menu-report = Gravar um arquivo para quem ajuda você
join-menu-other = O jogo está em outra pasta
join-menu-leave = Sair
join-ready = Você já pode entrar. Divirta-se!
join-again = Inicie este programa de novo depois de uma atualização do servidor, ou para desfazer isto.
join-as-known = O seu jogo está como o servidor queria quando se pôde perguntar da última vez. Talvez agora queira outra coisa.
join-not-ready = Você ainda não pode entrar. O que falta está acima.
join-nothing-changed = Nada foi mudado.
join-report = Envie este arquivo a quem ajuda você: { $file }
join-aside = Isto foi posto de lado. O que você quer de volta? Digite um número; só Enter para sair.
join-aside-none = Nada foi posto de lado aqui.
join-aside-taken = Há outra coisa em { $path } agora, e ela fica.
join-put-back = { $path } está de volta. Se o servidor não o tem, a próxima atualização o põe de lado de novo.
join-taken-back = A última mudança foi desfeita.
join-close = Aperte Enter para fechar esta janela.

reply-why-sure = Foi por isto que não conseguiste entrar:
reply-why-likely = O mais provável é que não tenhas conseguido entrar por isto:
reply-not-agreed = Ainda não está decidido qual dos dois está certo. Não mudes nada: eu decido e depois digo-te.
reply-differ = Onde o teu jogo e o servidor apenas diferem, eu decido qual está certo e depois digo-te.
reply-server-only = Não conseguiste entrar, e a culpa não é tua. É preciso arranjar o servidor:
reply-server-too = Isto é culpa do servidor, e eu arranjo:
reply-wait = Não tens de mudar nada para isso. Tenta de novo quando eu te disser.
reply-what-to-do = O que fazer:
reply-close = Fecha o jogo.
reply-run = Abre um terminal na pasta do jogo e executa: { $command }
reply-start = Inicia o jogo e entra de novo.
reply-got-in = O registo do servidor diz que da última vez entraste. Foi outra tentativa que falhou? Então tenta mais uma vez e diz-me quando.
reply-unknown = Ainda não sei dizer porque não conseguiste entrar.
reply-may-be = Pode ser uma destas coisas, e não tenho a certeza:
reply-puts-right = Fecha o jogo, abre um terminal na pasta dele e executa: { $command }
reply-still = Isso põe todos os mods em ordem. Se ainda assim não conseguires entrar:
reply-send = Por favor, envia-me:
reply-send-log = o registo do jogo da altura da tua tentativa
reply-send-list = uma lista dos mods que tens, com as versões (basta uma imagem da pasta dos mods)
reply-send-words = o que o jogo disse, palavra por palavra, e quando tentaste
reply-send-file = Se tens o programa kanon, o ficheiro mine.json é o que diz mais. Executa isto na pasta do jogo, com o livro de regras que te envio:
reply-some-missing = { $side ->
    [client] falta um dos mods no teu jogo; nada diz qual
    [server] falta um mod ao servidor; nada diz qual
   *[none] falta um mod a um dos lados; nada diz qual
}
reply-some-extra = { $side ->
    [client] o teu jogo tem um mod a mais; nada diz qual
    [server] o servidor tem um mod a mais; nada diz qual
   *[none] um dos lados tem um mod a mais; nada diz qual
}
reply-some-other = { $side ->
    [client] um dos teus mods não é como devia ser: outra versão ou ficheiros alterados; nada diz qual
    [server] um dos mods do servidor não é como devia ser: outra versão ou ficheiros alterados; nada diz qual
   *[none] um dos mods não é igual dos dois lados: outra versão ou ficheiros alterados; nada diz qual
}
reply-missing = { $side ->
    [client] falta-te { $mod }
    [server] ao servidor falta { $mod }
   *[none] a um dos lados falta { $mod }
}
reply-extra = { $side ->
    [client] tens { $mod }, e o servidor não
    [server] o servidor tem { $mod }, e o outro lado não
   *[none] um lado tem { $mod }, e o outro não
}
reply-off = { $side ->
    [client] tens { $mod } desligado
    [server] o servidor tem { $mod } desligado
   *[none] um dos lados tem { $mod } desligado
}
reply-twice = { $side ->
    [client] tens { $mod } mais de uma vez
    [server] o servidor tem { $mod } mais de uma vez
   *[none] um dos lados tem { $mod } mais de uma vez
}
reply-older = { $side ->
    [client] o teu { $mod } é demasiado antigo
    [server] o { $mod } do servidor é demasiado antigo
   *[none] o { $mod } de um dos lados é demasiado antigo
}
reply-newer = { $side ->
    [client] o teu { $mod } é demasiado novo
    [server] o { $mod } do servidor é demasiado novo
   *[none] o { $mod } de um dos lados é demasiado novo
}
reply-other = { $side ->
    [client] o teu { $mod } tem outra versão
    [server] o { $mod } do servidor tem outra versão
   *[none] o { $mod } de um dos lados tem outra versão
}
reply-content = { $side ->
    [client] o teu { $mod } foi alterado: os ficheiros não são os que deviam ser
    [server] o { $mod } do servidor foi alterado: os ficheiros não são os que deviam ser
   *[none] o { $mod } de um dos lados foi alterado: os ficheiros não são os que deviam ser
}
reply-damaged = { $side ->
    [client] o teu { $mod } está danificado
    [server] o { $mod } do servidor está danificado
   *[none] o { $mod } de um dos lados está danificado
}
reply-game = { $side ->
    [client] o teu jogo tem outra versão
    [server] o jogo do servidor tem outra versão
   *[none] o jogo de um dos lados tem outra versão
}
reply-loader = { $side ->
    [client] o que carrega os teus mods tem outra versão
    [server] o que carrega os mods do servidor tem outra versão
   *[none] o que carrega os mods de um dos lados tem outra versão
}
reply-runtime = { $side ->
    [client] aquilo sobre que corre o teu jogo tem outra versão
    [server] aquilo sobre que corre o jogo do servidor tem outra versão
   *[none] aquilo sobre que corre o jogo de um dos lados tem outra versão
}
reply-memory = { $side ->
    [client] o teu jogo tem pouca memória
    [server] o jogo do servidor tem pouca memória
   *[none] o jogo de um dos lados tem pouca memória
}
reply-is-should = { $what }: é { $is } e devia ser { $should }
reply-should = { $what }: devia ser { $should }
reply-is = { $what }: é { $is }
reply-in-game = { $what }, no teu jogo
step-list = Compara os teus mods com a lista que te envio: falta um.
step-list-versions = Compara os teus mods e as suas versões com a lista que te envio: um é diferente.
step-install = Instala { $mod }.
step-install-at = Instala { $mod }: o lugar dele é { $place }.
step-install-into = Instala { $mod } na pasta { $place }.
step-take-out = Tira { $mod } do teu jogo{ $where }.
step-switch-on = Volta a ligar { $mod }{ $where }.
step-replace = Substitui o teu { $mod } pela versão { $should }{ $where }.
step-get-again = Arranja { $mod } outra vez e põe-no no lugar do teu{ $where }.
step-game = Põe o jogo na versão { $should }.
step-install-version = Instala { $should }.
step-the-file = { "" } (o ficheiro { $place })
step-in-folder = { "" } (na pasta { $place })
kept-ban = Não conseguiste entrar porque estás banido do servidor. Não tem nada a ver com os teus mods. Pergunta a quem mantém o servidor.
kept-list = Não conseguiste entrar porque não estás na lista de quem pode. Não tem nada a ver com os teus mods: tenho de te acrescentar.
kept-full = Não conseguiste entrar porque o servidor estava cheio. Os teus mods não têm nada a ver. Tenta de novo quando alguém tiver saído.
kept-password = Não conseguiste entrar por causa da palavra-passe. Os teus mods não têm nada a ver. Escreve-a outra vez, ou pede-ma.
kept-account = Não conseguiste entrar por causa da tua conta. Os teus mods não têm nada a ver. Fecha o jogo, inicia sessão de novo e tenta outra vez.
kept-connection = A ligação entre o teu jogo e o servidor caiu. Vê o endereço e a porta que escreveste e tenta outra vez; se outros entram, vê a tua própria rede.
page-title = { $name }: o que instalar
page-lead = { $game } com { $loader }
page-release = Edição { $number }
page-mods = { $count ->
    [one] 1 mod
   *[other] { $count } mods
}, { $size }
page-how = Como entrar
page-program-lead = Deixa que se faça.
page-program = Descarrega o programa para o teu sistema e abre-o com um duplo clique. Pergunta onde está o teu jogo, diz o que vai fazer, e fá-lo quando disseres que sim; tudo pode ser desfeito.
page-for = para { $system }
page-trust = Abre o mesmo programa outra vez depois de uma atualização do servidor. Não está assinado por quem faz o teu sistema, que talvez pergunte se confias nele: vale tanto quanto este sítio.
page-linux = No Linux, permite primeiro que corra:
page-kanon = Com o Kanon.
page-kanon-or = Ou com o Kanon, se o tiveres.
page-type = Na pasta do jogo, escreve isto:
page-copy = Copiar
page-copied = Copiado
page-later = Depois de uma atualização do servidor, só: { $follow }. Não gostas: { $undo }.
page-makers = O Kanon vem de { $open }quem o faz{ $close }.
page-archive-lead = À mão, de uma vez.
page-archive = Descarrega { $open }todos os mods num só arquivo{ $close } e descompacta-o na pasta do jogo. O resto que há a fazer está lá dentro, e abaixo.
page-each-lead = À mão, um a um.
page-each = Da { $open }tabela{ $close }, como diz { $steps }a lista abaixo{ $close }.
page-code = O convite como código QR
page-new = Novo desde a edição { $number }
page-nothing-new = Nada que te diga respeito.
news-new = { $mod } { $to } é novo
news-gone = { $mod } { $from } já não está: tira-o
news-bytes = { $mod } { $to } tem outro conteúdo com a mesma versão
news-becomes = { $mod } { $from } passa a { $to }
page-table = Mods, pela ordem
page-find = Procurar um mod
page-found = { $seen } de { $all }
col-number = N.º
col-mod = Mod
col-version = Versão
col-file = Ficheiro ou pasta
col-where = Para onde vai
col-size = Tamanho
page-optional = opcional
page-needs = precisa de { $mods }
page-download = descarregar
page-bytes = { $count } bytes
page-digest-one = resumo
way-folder = pasta
way-file = ficheiro
way-files = ficheiros lado a lado
way-overlay = camada
way-id = por id
where-id = o jogo vai buscá-lo
where-overlay = dentro de { $places }
where-and = { " e " }
page-server-alone = Só o servidor tem { $mods }; não precisas de { $count ->
    [one] o
   *[other] os
} procurar.
page-line = Linha de arranque
page-line-into = Em { $file }, ou de onde inicias o jogo, exatamente assim, com a ordem:
page-line-anywhere = De onde inicias o jogo, exatamente assim, com a ordem:
page-by-hand = À mão
hand-close = Fecha o jogo e guarda uma cópia das pastas de mods, caso as queiras de volta.
hand-take-out = Destas pastas tira todos os ficheiros e pastas que não estejam na tabela acima. { $own }.
hand-own-stay = Os teus próprios mods podem ficar se só disserem respeito ao teu jogo; outras versões dos mods acima, não
hand-own-go = Outros mods não são bem-vindos neste servidor
hand-file = Põe cada ficheiro no seu lugar com o nome exato da tabela, maiúsculas incluídas. Não o descompactes.
hand-files = Se um mod são vários ficheiros, põe-nos todos lado a lado no seu lugar, com os nomes exatos que a lista mostra.
hand-folder = Põe cada pasta no seu lugar com o nome exato da tabela, com os ficheiros que a lista mostra e mais nenhum.
hand-overlay = Põe os conteúdos de cada camada no seu arquivo, pela ordem da tabela.
hand-id = Os mods sem ficheiros são descarregados pelo próprio jogo, pelo id.
hand-copies = Copia estes ficheiros de mods para onde o jogo os procura:
hand-copy = { $to }, de { $mod }
hand-entries = Cola estas entradas nos ficheiros de dados do jogo, cada uma uma vez:
hand-entry = { $into }: { $keys } de { $from } de { $mod }, antes de { $before }
hand-list = Em { $file } ({ $name }) estes mods têm de estar ligados:
hand-list-ordered = Em { $file } ({ $name }) estes mods têm de estar ligados, por esta ordem:
hand-settings = Põe estes valores:
hand-setting = { $file }: { $name } tem de ser { $value } (em { $at })
hand-start = Inicia o jogo e entra.
hand-start-line = Inicia o jogo com a linha de arranque acima e entra.
page-cant = Não consegues entrar?
page-cant-send = Envia a quem mantém o servidor o que tens. Isto anota-o; o ficheiro nomeia mods e os seus ficheiros, e mais nada da tua máquina:
page-cant-run = Executa-o na pasta do jogo. Se nada for seguido lá, junta { $option }, com { $open }o livro de regras{ $close } ao lado.
page-cant-sent = Executa-o na pasta do jogo. Se nada for seguido lá, junta { $option }, com o livro de regras que te enviaram ao lado.
page-digest = O conjunto tem o resumo { $digest }.
page-foot = Esta página é para ler; o que { $command } descarrega é verificado pelas assinaturas.
notes-title = { $name }: todos os mods para { $game }
notes-unpack = Descompacta isto na pasta do jogo e deixa substituir o que lá está. Fecha primeiro o jogo.
notes-before = Antes disso, tira de { $folders } todos os mods que não estejam aqui: um antigo ao lado de um novo deixa-te de fora.
notes-left = Não está aqui, e obtém-se como diz a página: { $mods }.
notes-list = Ligados em { $file }:
notes-list-ordered = Ligados em { $file }, por esta ordem:
notes-start = Inicia o jogo com:
